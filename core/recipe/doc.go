// Package recipe is the document in which a quality engineer says what to look for
// on a product: its types, its schema, its validation, its rules and its hash.
//
// A recipe is a folder: recipe.yaml and the pictures it names. This package works
// on bytes; reading folders is left to its callers. docs/recipe.md is the format
// for people, Schema the one for editors.
package recipe
