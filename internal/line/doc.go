// Package line is the stations of one belt at work together. A trigger tells that a package
// comes, every station takes its picture where the package has moved to, the verdicts of one
// package are joined into one route, and the ejector of that route acts when the package is
// there. The tracker, which follows packages by encoder counts, is a pure state machine; Line
// puts outputs, runs and records round it.
package line
