// Package reader reads lines of printed text without being taught: it finds the lines of a
// region, makes each level and of one height, and reads it with a small convolutional network
// whose weights are part of the program (weights.md says how they were made). Everything
// after a line is made level is whole numbers, so the same picture reads the same, and with
// the same confidence, on every machine.
package reader
