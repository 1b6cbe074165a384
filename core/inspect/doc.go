// Package inspect runs recipes: Prepare teaches a recipe once, a Runner judges
// pictures with it, and a Result says what was found and where the item goes.
//
// A verdict is a pure function of the recipe and the picture. There is no way from
// an error to pass: a check that panics, that cannot look, or whose rule cannot be
// worked out makes the item a fault, and a fault goes to reject.
package inspect
