// Package presence holds the checks that tell whether something is there and looks
// right: presence.tone.
package presence
