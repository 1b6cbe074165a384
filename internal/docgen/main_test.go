package main

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

func TestTheHandbookIsCurrent(t *testing.T) {
	got, err := os.ReadFile("../../docs/checks.md")
	require.NoError(t, err)
	assert.True(t, document() == string(got), "docs/checks.md is not that of the types; run make generate")
}

// Every kind has an example that works as shown.
func TestEveryKindHasAnExample(t *testing.T) {
	for _, k := range inspect.Kinds {
		e, ok := examples[k.Name]
		if recipe.IsLogic(k.Name) { // they look at findings
			continue
		}
		if assert.True(t, ok, "%s has no example in examples.go", k.Name) {
			_, err := tile(k.Name, e)
			assert.NoError(t, err, k.Name)
		}
	}
}
