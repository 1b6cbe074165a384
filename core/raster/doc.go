// Package raster holds pixels and the geometry on them: gray and color
// pictures, regions, similarity transforms, pyramids, and the row kernels that
// everything else is built from.
//
// # Coordinates
//
// The origin is the top-left corner of the top-left pixel, x runs right, y runs
// down. The pixel in column i and row j covers [i, i+1) × [j, j+1); its center
// is (i+0.5, j+0.5). Angles are in degrees, positive clockwise as seen on the
// screen. A pyramid level k halves both axes k times, so a place (x, y) of the
// full picture lies at (x/2^k, y/2^k) there: no offsets to remember.
//
// # Determinism
//
// The same input gives the same output to the last bit on every processor, with
// SIMD or without. Kernels use integer arithmetic only. Where floating-point
// products are summed, the product is written float64(a*b), which the language
// forbids to fuse into a multiply-add. Sines and arc tangents come from this
// package and not from math, whose own code may be fused.
//
// # Ownership
//
// Functions that take a destination reuse its memory and return it, grown when
// needed. Nothing here keeps a reference to its arguments.
package raster
