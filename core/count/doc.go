// Package count holds the checks that count things: count.spots.
package count
