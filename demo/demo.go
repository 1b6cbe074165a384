// Package demo carries the demo plant's recipes inside the binary.
package demo

import "embed"

// Recipes holds recipes/NAME/recipe.yaml with the pictures they name.
//
//go:embed recipes
var Recipes embed.FS
