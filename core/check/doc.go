// Package check is the contract between the kinds of checks and those who run
// them: what a kind is, what it gets to see, and what it says of an item.
//
// A kind is one file in the package of its family. It declares a settings struct
// whose tags make the schema, a function that teaches (settings and reference
// picture in, something immutable out) and a judge (picture in, Finding out).
// See core/presence/tone.go for the smallest one.
package check
