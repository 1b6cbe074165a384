// Package trial runs a recipe over samples and says how well it holds: which are judged
// wrong, how far good and bad readings lie from their limits and where the limits would
// lie best, and how much darker, blurred, noisier, shifted or turned the pictures may
// become before verdicts change.
package trial
