package inspect

import (
	"ricetta/core/color"
	"ricetta/core/count"
	"ricetta/core/locate"
	"ricetta/core/measure"
	"ricetta/core/presence"
	"ricetta/core/print"
	"ricetta/core/recipe"
)

// Kinds is the registry: one line for each kind of check there is.
var Kinds = recipe.Kinds{
	locate.Outline,
	locate.Patch,
	locate.Edges,
	locate.Disc,
	locate.Spot,
	locate.Code,
	presence.Tone,
	presence.Level,
	presence.Detail,
	presence.Likeness,
	count.Spots,
	count.Repeats,
	count.Edges,
	color.Amount,
	color.Shade,
	color.Order,
	measure.Gap,
	measure.Size,
	measure.Angle,
	measure.Circle,
	measure.Rim,
	print.Code,
	print.Text,
	print.Quality,
	print.Grading,
	print.Agree,
	Rule,
}

// Reader reads recipes that use these kinds.
var Reader = recipe.NewReader(Kinds)
