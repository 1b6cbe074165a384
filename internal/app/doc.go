// Package app builds everything from the configuration, starts it in order and
// stops it in reverse: records, recipes, stations with their lines, interface.
package app
