// Package plant is the simulated packing hall of "Cartoleria Fiordaliso": tins of
// twelve colored pencils on a belt, rendered so that they look like camera pictures,
// with an encoder, a camera, ejectors and a confirm sensor. It keeps the truth about
// every tin, so that it can say how many bad ones were let through.
//
//	tin.go     what a tin looks like
//	camera.go  the picture of a tin on the belt: pose, light, blur, noise
//	truth.go   what is wrong with which tin, drawn from fixed seeds
//	line.go    belt, encoder, ejectors, confirm sensor
//	score.go   truth against what happened
package plant
