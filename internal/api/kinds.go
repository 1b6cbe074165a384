package api

import (
	"github.com/labstack/echo/v5"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

// KindInfo tells of a kind of check what a form needs.
type KindInfo struct {
	Kind           string         `json:"kind" required:"true"`
	Doc            string         `json:"doc" required:"true"`
	Datum          bool           `json:"datum" required:"true"`
	NeedsReference bool           `json:"needs_reference" required:"true"`
	Measures       []MeasureInfo  `json:"measures" required:"true" nullable:"false"`
	Texts          []string       `json:"texts" required:"true" nullable:"false" description:"Names of the texts that it reads"`
	Fields         []string       `json:"fields" required:"true" nullable:"false" description:"Its settings in their order"`
	Schema         map[string]any `json:"schema" required:"true" nullable:"false" description:"JSON Schema of its settings"`
	Defaults       map[string]any `json:"defaults" required:"true" nullable:"false"`
}

// MeasureInfo tells of a reading.
type MeasureInfo struct {
	Name  string `json:"name" required:"true"`
	Unit  string `json:"unit" required:"true"`
	Doc   string `json:"doc" required:"true"`
	Whole bool   `json:"whole" required:"true"`
}

// KindList lists the kinds of checks.
type KindList struct {
	Kinds []KindInfo `json:"kinds" required:"true" nullable:"false"`
}

func (s *Server) listKinds(*echo.Context, *none) (*KindList, error) {
	out := &KindList{Kinds: []KindInfo{}}
	for _, k := range inspect.Kinds {
		i := KindInfo{Kind: k.Name, Doc: k.Doc, Datum: k.Datum, NeedsReference: k.NeedsReference, Measures: []MeasureInfo{}, Texts: []string{}}
		i.Fields, i.Schema, i.Defaults = recipe.Form(k)
		for _, t := range k.Texts {
			i.Texts = append(i.Texts, t.Name)
		}
		for _, m := range k.Measures {
			i.Measures = append(i.Measures, MeasureInfo{m.Name, m.Unit, m.Doc, m.Whole})
		}
		out.Kinds = append(out.Kinds, i)
	}
	return out, nil
}
