// Package locate holds the checks that find the item: locate.outline. What they
// find is a datum, on which other checks ride.
//
// # locate.outline
//
// The method compares directions of gradients, which light, covering and clutter
// leave alone: Steger, "Similarity measures for occlusion, clutter, and
// illumination invariant object recognition" (2001), whose score is the mean over
// all taught points of the cosine between the taught and the seen direction. The
// first, coarse look uses the response maps of Hinterstoisser et al., "Gradient
// response maps for real-time detection of textureless objects" (PAMI 2012):
// directions in 16 sectors, spread over their neighborhood, one map a sector, so
// that the score of a whole row of places is a sum of shifted rows of bytes.
// What it proposes is fitted level by level down the pyramid by least squares on
// the sub-pixel distances between taught and seen edges, along their normals.
//
//	teach.go    edge points and their directions from the reference picture
//	coarse.go   the first look, over all places, turns and sizes
//	fit.go      the score of one pose, and the fit that improves it
//	outline.go  settings, kind and judge
package locate
