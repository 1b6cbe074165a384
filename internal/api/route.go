package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/swaggest/openapi-go"
	"github.com/swaggest/openapi-go/openapi31"
)

// prefix of all routes.
const prefix = "/api/v1"

// operation says of a route what its types do not.
type operation struct {
	id, summary, tag string
	errors           []int // statuses of problem details, besides 500
	produces         string
}

// router registers handlers with Echo and with the OpenAPI document at once, so
// that neither can know a route that the other does not.
type router struct {
	group   *echo.Group
	reflect *openapi31.Reflector
	err     error
}

func newRouter(e *echo.Echo, version string) *router {
	r := &router{group: e.Group(prefix), reflect: openapi31.NewReflector()}
	r.reflect.JSONSchemaReflector().DefaultOptions = append(r.reflect.JSONSchemaReflector().DefaultOptions, stripPackage)
	description := "Everything that Ricetta's console and terminal client do goes through this interface. Coordinates are pixels from the top-left corner, angles degrees clockwise, times RFC 3339 in UTC. Errors are problem details (RFC 9457)."
	r.reflect.Spec.Info.WithTitle("Ricetta").WithVersion(version).WithDescription(description)
	r.reflect.Spec.WithServers(openapi31.Server{URL: prefix})
	return r
}

// describe adds a route to the document. in and out may be nil.
func (r *router) describe(method, path string, op operation, in, out any) {
	oc, err := r.reflect.NewOperationContext(method, openPath(path))
	if err != nil {
		r.err = errors.Join(r.err, err)
		return
	}
	oc.SetID(op.id)
	oc.SetSummary(op.summary)
	oc.SetTags(op.tag)
	if in != nil {
		oc.AddReqStructure(in)
	}
	switch {
	case op.produces != "":
		oc.AddRespStructure("", openapi.WithContentType(op.produces), openapi.WithHTTPStatus(http.StatusOK))
	case out != nil:
		oc.AddRespStructure(out, openapi.WithHTTPStatus(http.StatusOK))
	}
	for _, status := range append(op.errors, http.StatusInternalServerError) {
		oc.AddRespStructure(new(Problem), openapi.WithHTTPStatus(status), openapi.WithContentType(problemType))
	}
	if err := r.reflect.AddOperation(oc); err != nil {
		r.err = errors.Join(r.err, fmt.Errorf("%s %s: %w", method, path, err))
	}
}

// openPath turns Echo's :id into the document's {id}.
func openPath(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts {
		if name, ok := strings.CutPrefix(p, ":"); ok {
			parts[i] = "{" + name + "}"
		}
	}
	return strings.Join(parts, "/")
}

// handle registers a typed JSON handler. In's fields carry both Echo's param and
// query tags and the document's path and query tags.
func handle[In, Out any](r *router, method, path string, op operation, f func(c *echo.Context, in *In) (*Out, error)) {
	r.describe(method, path, op, new(In), new(Out))
	r.group.Add(method, path, func(c *echo.Context) error {
		in := new(In)
		if err := bind(c, in); err != nil {
			return err
		}
		if err := bindBody(c, in); err != nil {
			return err
		}
		out, err := f(c, in)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, out)
	})
}

// stream registers a handler that writes its own answer of the type op.produces.
func stream[In any](r *router, path string, op operation, f func(c *echo.Context, in *In) error) {
	streamTo(r, http.MethodGet, path, op, f)
}

// streamTo is stream for another method than GET.
func streamTo[In any](r *router, method, path string, op operation, f func(c *echo.Context, in *In) error) {
	r.describe(method, path, op, new(In), nil)
	r.group.Add(method, path, func(c *echo.Context) error {
		in := new(In)
		if err := bind(c, in); err != nil {
			return err
		}
		if err := bindBody(c, in); err != nil {
			return err
		}
		return f(c, in)
	})
}

func bind(c *echo.Context, in any) error {
	if err := echo.BindPathValues(c, in); err != nil {
		return wrong(err)
	}
	if err := echo.BindQueryParams(c, in); err != nil {
		return wrong(err)
	}
	return nil
}

// bindBody reads the JSON of a request whose type has fields for it, and no others.
func bindBody(c *echo.Context, in any) error {
	if !hasBody(reflect.TypeOf(in).Elem()) {
		return nil
	}
	d := json.NewDecoder(c.Request().Body)
	d.DisallowUnknownFields()
	switch err := d.Decode(in); {
	case errors.Is(err, io.EOF):
		return nil // all may be absent; what must not be is asked for by the handler
	case err != nil:
		var coded echo.HTTPStatusCoder
		if errors.As(err, &coded) {
			return err
		}
		return wrong(err)
	}
	return nil
}

// hasBody reports whether a request's type has fields that come as JSON.
func hasBody(t reflect.Type) bool {
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Anonymous && hasBody(f.Type) || !f.Anonymous && name != "" && name != "-" {
			return true
		}
	}
	return false
}

func wrong(err error) error {
	return problem(http.StatusBadRequest, "The request cannot be understood", err.Error())
}
