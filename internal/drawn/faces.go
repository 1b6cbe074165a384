package drawn

import (
	"fmt"

	"github.com/go-fonts/latin-modern/lmmono10regular"
	"github.com/go-fonts/latin-modern/lmmonolt10bold"
	"github.com/go-fonts/latin-modern/lmsans10bold"
	"github.com/go-fonts/latin-modern/lmsans10regular"
	"github.com/go-fonts/latin-modern/lmsansdemicond10regular"
	"github.com/go-fonts/liberation/liberationmonobold"
	"github.com/go-fonts/liberation/liberationmonoregular"
	"github.com/go-fonts/liberation/liberationsansbold"
	"github.com/go-fonts/liberation/liberationsansregular"
	"github.com/go-fonts/liberation/liberationserifbold"
	"github.com/go-fonts/liberation/liberationserifregular"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goitalic"
	"golang.org/x/image/font/gofont/gomedium"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/gomonobold"
	"golang.org/x/image/font/gofont/goregular"
)

// Faces are fonts that the reader of core/reader was never trained on: what measures it.
func Faces() []*Face {
	var out []*Face
	for _, f := range []struct {
		name string
		data []byte
	}{
		{"Go Regular", goregular.TTF},
		{"Go Medium", gomedium.TTF},
		{"Go Bold", gobold.TTF},
		{"Go Italic", goitalic.TTF},
		{"Go Mono", gomono.TTF},
		{"Go Mono Bold", gomonobold.TTF},
		{"Liberation Sans", liberationsansregular.TTF},
		{"Liberation Sans Bold", liberationsansbold.TTF},
		{"Liberation Serif", liberationserifregular.TTF},
		{"Liberation Serif Bold", liberationserifbold.TTF},
		{"Liberation Mono", liberationmonoregular.TTF},
		{"Liberation Mono Bold", liberationmonobold.TTF},
		{"Latin Modern Sans", lmsans10regular.TTF},
		{"Latin Modern Sans Bold", lmsans10bold.TTF},
		{"Latin Modern Sans Demi Condensed", lmsansdemicond10regular.TTF},
		{"Latin Modern Mono", lmmono10regular.TTF},
		{"Latin Modern Mono Light Bold", lmmonolt10bold.TTF},
	} {
		face, err := ParseFace(f.name, f.data)
		if err != nil {
			panic(fmt.Sprintf("drawn: a font of the program does not parse: %v", err)) // they are compiled in
		}
		out = append(out, face)
	}
	return out
}
