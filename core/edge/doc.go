// Package edge finds edges with sub-pixel precision along arrows and rays, and fits
// lines and circles to them that outliers do not pull. Several families of checks
// measure with it.
package edge
