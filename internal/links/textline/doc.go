// Package textline is the link by lines of plain text over TCP: commands in, an answer for each,
// and a line for every item to whoever asks for them. docs/links.md has the grammar.
package textline
