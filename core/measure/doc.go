// Package measure holds the checks that measure lengths: measure.gap. Edges are
// sought along arrows, averaged over a width, with sub-pixel precision.
package measure
