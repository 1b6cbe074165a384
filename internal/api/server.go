package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/swaggest/jsonschema-go"
)

// Deps are what the interface shows and acts on.
type Deps struct {
	Site, Version string
	Started       time.Time
	Stations      []Control
	Recipes       []Released
	Records       Records
	Hub           *Hub
	// Truth is set when the lines are simulated.
	Truth func() Truth
	// Console serves the pages.
	Console http.Handler
	Log     *slog.Logger
}

// Server answers requests.
type Server struct {
	deps     Deps
	hub      *Hub
	log      *slog.Logger
	echo     *echo.Echo
	openapi  []byte
	previews previewCache
}

// mostBody bounds what a request may bring.
const mostBody = 1 << 20

// New returns a server for the parts in d.
func New(d Deps) (*Server, error) {
	s := &Server{deps: d, hub: d.Hub, log: d.Log}
	e := echo.New()
	e.Logger = d.Log
	e.HTTPErrorHandler = answerError(d.Log)
	e.Use(middleware.Recover(), headers(), onlyLoopback(), middleware.BodyLimit(mostBody))
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{
		Skipper: func(c *echo.Context) bool {
			p := c.Request().URL.Path
			return strings.HasSuffix(p, "/live") || strings.Contains(p, "/picture") || strings.HasSuffix(p, "/reference")
		},
	}))
	r := newRouter(e, d.Version)
	s.routes(r)
	if r.err != nil {
		return nil, fmt.Errorf("describing the interface: %w", r.err)
	}
	doc, err := json.MarshalIndent(r.reflect.Spec, "", "  ")
	if err != nil {
		return nil, err
	}
	s.openapi = append(doc, '\n')
	r.group.GET("/openapi.json", func(c *echo.Context) error { return c.JSONBlob(http.StatusOK, s.openapi) })
	r.group.Any("/*", func(*echo.Context) error { return echo.ErrNotFound })
	s.health(e)
	if d.Console != nil {
		e.GET("/*", echo.WrapHandler(d.Console))
	}
	s.echo = e
	return s, nil
}

func (s *Server) routes(r *router) {
	handle(r, "GET", "/about", operation{id: "about", summary: "What answers here", tag: "service"}, s.about)
	stream(r, "/live", operation{id: "live", summary: "What happens, as it happens (Server-Sent Events with the events item, station and reset; data as in Event)", tag: "live", produces: "text/event-stream", errors: []int{404}}, s.live)

	handle(r, "GET", "/stations", operation{id: "listStations", summary: "All stations and how they do", tag: "stations"}, s.listStations)
	handle(r, "GET", "/stations/:id", operation{id: "showStation", summary: "One station", tag: "stations", errors: []int{404}}, s.showStation)
	handle(r, "POST", "/stations/:id/start", operation{id: "startStation", summary: "Start taking pictures; releases a held station", tag: "stations", errors: []int{403, 404, 409}}, s.startStation)
	handle(r, "POST", "/stations/:id/stop", operation{id: "stopStation", summary: "Stop taking pictures and take the permit from the belt", tag: "stations", errors: []int{403, 404}}, s.stopStation)
	handle(r, "GET", "/stations/:id/latest", operation{id: "latestItem", summary: "The last item with its findings", tag: "stations", errors: []int{404}}, s.latestItem)

	handle(r, "GET", "/items", operation{id: "listItems", summary: "Recorded items, newest first", tag: "items", errors: []int{400}}, s.listItems)
	handle(r, "GET", "/items/:id", operation{id: "showItem", summary: "One item with its findings", tag: "items", errors: []int{404}}, s.showItem)
	stream(r, "/items/:id/picture", operation{id: "itemPicture", summary: "The picture of an item", tag: "items", produces: "image/png", errors: []int{400, 404}}, s.picture)
	handle(r, "GET", "/tally", operation{id: "tally", summary: "Counts of items by any of their fields", tag: "items", errors: []int{400}}, s.tally)

	handle(r, "GET", "/recipes", operation{id: "listRecipes", summary: "Released recipes", tag: "recipes"}, s.listRecipes)
	handle(r, "GET", "/recipes/:product/:role", operation{id: "showRecipe", summary: "One recipe with its document", tag: "recipes", errors: []int{404}}, s.showRecipe)
	stream(r, "/recipes/:product/:role/reference", operation{id: "recipeReference", summary: "The picture that the recipe is taught on", tag: "recipes", produces: "image/png", errors: []int{404}}, s.recipeReference)
	handle(r, "POST", "/recipes/check", operation{id: "checkRecipe", summary: "Validate the text of a recipe.yaml (the request's body) without keeping it", tag: "recipes", errors: []int{403, 413}}, s.checkRecipe)

	handle(r, "GET", "/truth", operation{id: "truth", summary: "What became of the simulated items, against the truth", tag: "service", errors: []int{404}}, s.truth)
	r.reflectEvent()
}

// reflectEvent puts the type of the live stream's data into the document.
func (r *router) reflectEvent() {
	schema, err := r.reflect.JSONSchemaReflector().Reflect(new(Event),
		jsonschema.CollectDefinitions(func(name string, s jsonschema.Schema) {
			m, err := s.ToSchemaOrBool().ToSimpleMap()
			if err != nil {
				r.err = errors.Join(r.err, err)
				return
			}
			r.reflect.SpecEns().ComponentsEns().WithSchemasItem(name, m)
		}),
		jsonschema.DefinitionsPrefix("#/components/schemas/"))
	if err != nil {
		r.err = errors.Join(r.err, err)
		return
	}
	m, err := schema.ToSchemaOrBool().ToSimpleMap()
	if err != nil {
		r.err = errors.Join(r.err, err)
		return
	}
	r.reflect.SpecEns().ComponentsEns().WithSchemasItem("Event", m)
}

// stripPackage names schemas by their type alone.
func stripPackage(rc *jsonschema.ReflectContext) {
	jsonschema.InterceptDefName(func(_ reflect.Type, name string) string {
		for _, pkg := range []string{"Api", "Check", "Station"} {
			if rest, ok := strings.CutPrefix(name, pkg); ok && rest != "" {
				return rest
			}
		}
		return name
	})(rc)
}

// OpenAPI returns the document that describes the interface.
func (s *Server) OpenAPI() []byte { return bytes.Clone(s.openapi) }

// ServeHTTP implements http.Handler.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.echo.ServeHTTP(w, r) }

// Serve answers on the listener until ctx ends; it then ends the live streams, lets
// other requests finish, and returns.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelDebug)}
	stopped := make(chan error, 1)
	go func() {
		<-ctx.Done()
		s.hub.Close()
		end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		stopped <- srv.Shutdown(end)
	}()
	if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return <-stopped
}
