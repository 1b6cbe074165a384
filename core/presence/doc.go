// Package presence holds the checks that tell whether something is there and looks
// right: presence.tone, presence.level and presence.detail.
package presence
