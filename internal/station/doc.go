// Package station is one station at work: from the encoder's pulse to the ejector's.
//
//	encoder ─→ Tracker ─→ trigger ─→ Source ─→ inspect ─→ Decide ─┐
//	              ↑                                    │          │
//	              └────────── due at the ejector ◄─────┼──────────┘
//	                               │                   └─→ Recorder ─→ Listener
//	                               └─→ Output
//
// The Tracker is a plain state machine over encoder counts, without clocks or
// goroutines, so that every case can be tested by hand. Station puts the
// goroutines round it.
//
// Nothing bad passes in silence: an item whose verdict has not said pass by the time
// it reaches the ejector is ejected. Outputs never wait for the disk; what is told
// (Listener) always does.
package station
