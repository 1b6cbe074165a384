// Package station is one station at work: from the picture to the verdict.
//
//	line ─→ Ticket, Take ─→ Source ─→ inspect ─→ Line.Decide ─→ Recorder ─→ Listener
//
// The line says when a package lies under the camera, and what it is judged by: its ticket is
// from the moment at which it came to the line's trigger. One goroutine takes pictures, one
// judges them.
//
// Nothing bad passes in silence: the line rejects a package for which a station has not said
// pass in time. Outputs never wait for the disk; what is told (Listener) always does.
package station
