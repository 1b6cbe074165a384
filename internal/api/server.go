package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/swaggest/jsonschema-go"

	"ricetta/core/raster"
	"ricetta/internal/station"
	"ricetta/internal/workbench"
)

// Deps are what the interface shows and acts on.
type Deps struct {
	Site, Version string
	Started       time.Time
	Lines         []LineControl
	Links         []Link
	Tags          Tags
	Catalog       Catalog
	Outbox        Outbox
	Stations      []Control
	Book          *workbench.Book
	Records       Records
	Alarms        Alarms
	Hub           *Hub
	// Truth is set when the lines are simulated.
	Truth func() Truth
	// KeepCamera keeps the settings of a station's camera for the next start.
	KeepCamera func(stationID string, s station.CameraSettings) error
	// KeepCalibration does so with its calibration; nil is none.
	KeepCalibration func(stationID string, c *raster.Calibration) error
	// Zone is the time zone of the hall.
	Zone *time.Location
	// Backup writes all that is kept into w.
	Backup func(ctx context.Context, w io.Writer, pictures bool) error
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
	looks    looks
}

// mostBody bounds what a request may bring.
const mostBody = 1 << 20

// New returns a server for the parts in d.
func New(d Deps) (*Server, error) {
	s := &Server{deps: d, hub: d.Hub, log: d.Log}
	// Names with a comma or a blank come escaped from some clients and plain from others.
	e := echo.NewWithConfig(echo.Config{Router: echo.NewRouter(echo.RouterConfig{UnescapePathParamValues: true})})
	e.Logger = d.Log
	e.HTTPErrorHandler = answerError(d.Log)
	e.Use(middleware.Recover(), headers(), onlyLoopback(), bodyLimit())
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{
		Skipper: func(c *echo.Context) bool {
			p := c.Request().URL.Path
			return strings.HasSuffix(p, "/live") || strings.Contains(p, "/picture") || strings.HasSuffix(p, "/reference") || strings.HasSuffix(p, "/trial") || strings.HasSuffix(p, "/what-if/pictures") || strings.HasSuffix(p, "/stress") || strings.HasSuffix(p, "/export") || strings.HasSuffix(p, "/backup")
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
	stream(r, "/live", operation{id: "live", summary: "What happens, as it happens (Server-Sent Events with the events item, package, station, line, alarm and reset; data as in Event)", tag: "live", produces: "text/event-stream", errors: []int{404}}, s.live)

	lined := func(id, summary string, errors ...int) operation {
		return operation{id: id, summary: summary, tag: "lines", errors: errors}
	}
	handle(r, "GET", "/lines", lined("listLines", "All lines and how they do"), s.listLines)
	handle(r, "GET", "/lines/:id", lined("showLine", "One line", 404), s.showLine)
	handle(r, "POST", "/lines/:id/start", lined("startLine", "Start taking packages; releases a held line", 403, 404, 409), s.startLine)
	handle(r, "POST", "/lines/:id/stop", lined("stopLine", "Stop taking packages and take the permit from the belt", 403, 404), s.stopLine)
	handle(r, "POST", "/lines/:id/trigger", lined("triggerLine", "Take the package that lies at the trigger now, on a line triggered by software", 403, 404, 409), s.triggerLine)
	handle(r, "POST", "/lines/:id/prepare", lined("prepareLine", "Make the recipes of a product ready, so that a changeover takes an instant", 403, 404, 409), s.prepareLine)
	handle(r, "POST", "/lines/:id/change", lined("changeLine", "Change the line over to a product from the next package on; a run begins", 403, 404, 409), s.changeLine)
	handle(r, "GET", "/lines/:id/find", lined("findToPack", "What is to be packed by the number of an order, a code, or a product", 404, 409), s.findToPack)
	handle(r, "GET", "/orders", lined("listOrders", "The products and orders that are described", 409), s.listOrders)
	handle(r, "GET", "/lines/:id/runs", lined("listRuns", "The runs of a line with their counts, newest first", 400, 404), s.listRuns)
	handle(r, "GET", "/lines/:id/signals", lined("showSignals", "The inputs and outputs of a line as they are now", 404), s.showSignals)
	handle(r, "POST", "/lines/:id/setup", lined("setupLine", "Begin or end set-up of a stopped line, in which signals are set by hand; it ends by itself", 403, 404, 409), s.setupLine)
	handle(r, "PUT", "/lines/:id/signals/:name", lined("setSignal", "Force an output or simulate an input, in set-up", 403, 404, 409), s.setSignal)
	handle(r, "GET", "/lines/:id/challenges", lined("listChallenges", "The challenges of a line with their pieces, newest first", 400, 404), s.listChallenges)
	handle(r, "POST", "/lines/:id/challenge", lined("beginChallenge", "Begin a challenge: pieces known to be good and bad are sent through the line", 400, 403, 404, 409), s.beginChallenge)
	handle(r, "POST", "/lines/:id/challenge/send", lined("sendPiece", "Say that the next package at the trigger is the next piece of the challenge", 403, 404, 409), s.sendPiece)
	handle(r, "POST", "/lines/:id/challenge/give-up", lined("giveUpChallenge", "End a challenge that is not finished; what was due stays due", 403, 404, 409), s.giveUpChallenge)
	alarms := func(id, summary string, errors ...int) operation {
		return operation{id: id, summary: summary, tag: "alarms", errors: errors}
	}
	handle(r, "GET", "/alarms", alarms("listAlarms", "The history of alarms, newest first", 400), s.listAlarms)
	handle(r, "GET", "/alarms/standing", alarms("standingAlarms", "The alarms whose cause stands, or that nobody has acknowledged"), s.standingAlarms)
	handle(r, "POST", "/alarms/:id/acknowledge", alarms("acknowledgeAlarm", "Say that somebody has looked", 400, 403, 404, 409), s.acknowledgeAlarm)
	handle(r, "GET", "/links", operation{id: "listLinks", summary: "The links to machines outside, and what went over them last", tag: "links"}, s.listLinks)
	linked := func(id, summary string, errors ...int) operation {
		return operation{id: id, summary: summary, tag: "links", errors: errors}
	}
	handle(r, "GET", "/tags", linked("listTags", "The tags with what they are now"), s.listTags)
	handle(r, "PUT", "/tags/:name", linked("writeTag", "Write a limit that may be written from outside: a revision that differs by it alone is released", 400, 403, 409), s.writeTag)
	handle(r, "GET", "/deliveries", linked("listDeliveries", "Messages that could not be delivered and were given up, newest first"), s.listDead)
	handle(r, "POST", "/deliveries/:id/again", linked("deliverAgain", "Try such a message again", 403, 404), s.deliverAgain)
	handle(r, "DELETE", "/deliveries/:id", linked("dropDelivery", "Forget such a message", 403, 404), s.dropDelivery)
	handle(r, "GET", "/packages/:id", lined("showPackage", "A package with its items", 404), s.showPackage)

	handle(r, "GET", "/stations", operation{id: "listStations", summary: "All stations and how they do", tag: "stations"}, s.listStations)
	handle(r, "GET", "/stations/:id", operation{id: "showStation", summary: "One station", tag: "stations", errors: []int{404}}, s.showStation)
	handle(r, "POST", "/stations/:id/start", operation{id: "startStation", summary: "Start the line that the station stands on; releases a held one", tag: "stations", errors: []int{403, 404, 409}}, s.startStation)
	handle(r, "POST", "/stations/:id/stop", operation{id: "stopStation", summary: "Stop the line that the station stands on, and its belt", tag: "stations", errors: []int{403, 404}}, s.stopStation)
	handle(r, "GET", "/stations/:id/latest", operation{id: "latestItem", summary: "The last item with its findings", tag: "stations", errors: []int{404}}, s.latestItem)

	handle(r, "POST", "/stations/:id/use", operation{id: "useRelease", summary: "Run the released revision of a product from the next item on; another product than before needs a stopped line, or a changeover of it", tag: "stations", errors: []int{403, 404, 409}}, s.useRelease)

	handle(r, "GET", "/stations/:id/camera", operation{id: "showCamera", summary: "How the station's camera is set, and what it can", tag: "stations", errors: []int{404}}, s.showCamera)
	handle(r, "PUT", "/stations/:id/camera", operation{id: "setCamera", summary: "Set the camera of a stopped station", tag: "stations", errors: []int{400, 403, 404, 409, 422}}, s.setCamera)
	handle(r, "POST", "/stations/:id/camera/find/:what", operation{id: "findCamera", summary: "Find the best exposure or focus of a stopped station", tag: "stations", errors: []int{403, 404, 409, 422}}, s.findCamera)
	handle(r, "POST", "/stations/:id/camera/look", operation{id: "look", summary: "Take a picture to look at, with its figures; it triggers no item", tag: "stations", errors: []int{403, 404, 502}}, s.look)
	handle(r, "POST", "/stations/:id/calibration/find", operation{id: "findCalibration", summary: "Find how large a pixel is on the last look's picture: from a known length or a printed grid of dots; nothing is kept", tag: "stations", errors: []int{403, 404, 422, 502}}, s.findCalibration)
	handle(r, "PUT", "/stations/:id/calibration", operation{id: "setCalibration", summary: "Keep a stopped station's calibration, or forget it (null) so that its configuration counts again", tag: "stations", errors: []int{403, 404, 409, 422}}, s.setCalibration)
	stream(r, "/stations/:id/camera/picture", operation{id: "lookPicture", summary: "The picture of the last look", tag: "stations", produces: "image/jpeg", errors: []int{404}}, s.lookPicture)

	handle(r, "GET", "/items", operation{id: "listItems", summary: "Recorded items, newest first", tag: "items", errors: []int{400}}, s.listItems)
	stream(r, "/items/export", operation{id: "exportItems", summary: "All items that a filter chooses, newest first, as one file; the header Ricetta-Items says how many", tag: "items", produces: "text/csv", errors: []int{400}}, s.exportItems)
	handle(r, "GET", "/items/:id", operation{id: "showItem", summary: "One item with its findings", tag: "items", errors: []int{404}}, s.showItem)
	stream(r, "/items/:id/picture", operation{id: "itemPicture", summary: "The picture of an item", tag: "items", produces: "image/png", errors: []int{400, 404}}, s.picture)
	handle(r, "PUT", "/items/:id/review", operation{id: "reviewItem", summary: "Say what an item truly was: a verdict is right or wrong by that", tag: "items", errors: []int{400, 403, 404, 409}}, s.review)
	handle(r, "DELETE", "/items/:id/review", operation{id: "unreviewItem", summary: "Take that back", tag: "items", errors: []int{403, 404}}, s.unreview)
	handle(r, "GET", "/tally", operation{id: "tally", summary: "Counts of items by any of their fields", tag: "items", errors: []int{400}}, s.tally)

	stats := func(id, summary string) operation {
		return operation{id: id, summary: summary, tag: "statistics", errors: []int{400}}
	}
	handle(r, "GET", "/statistics/overview", stats("overview", "Shifts and stations: what passed, the main reason, and whether more is rejected than by chance"), s.overview)
	handle(r, "GET", "/statistics/pareto", stats("pareto", "Reasons of what did not pass, with their running sum"), s.pareto)
	handle(r, "GET", "/statistics/trend", stats("trend", "The share of what did not pass over time, as a p′ chart with Nelson's rules"), s.trend)
	handle(r, "GET", "/statistics/compare", stats("compare", "Groups of items beside all others, with what is more than chance"), s.compare)
	handle(r, "GET", "/statistics/reading", stats("readingChart", "Control chart, histogram and capability of a reading"), s.readingChart)
	handle(r, "GET", "/statistics/review", stats("reviewRates", "False rejects and missed rejects among the items that people reviewed"), s.reviewRates)
	s.recipeRoutes(r)
	handle(r, "GET", "/reports/:of", operation{id: "showReport", summary: "What there is to say of a shift, a run, or a station in a span", tag: "statistics", errors: []int{400, 404}}, s.showReport)
	stream(r, "/reports/:of/file", operation{id: "reportFile", summary: "The same as PDF, CSV or XLSX file", tag: "statistics", produces: "application/octet-stream", errors: []int{400, 404}}, s.reportFile)
	board := func(id, summary string, errors ...int) operation {
		return operation{id: id, summary: summary, tag: "boards", errors: errors}
	}
	handle(r, "GET", "/boards", board("listBoards", "The boards that people have arranged"), s.listBoards)
	handle(r, "GET", "/boards/:name", board("showBoard", "One board", 404), s.showBoard)
	handle(r, "PUT", "/boards/:name", board("keepBoard", "Save a board", 403, 412, 422), s.keepBoard)
	handle(r, "DELETE", "/boards/:name", board("dropBoard", "Delete a board", 403, 404), s.dropBoard)
	stream(r, "/backup", operation{id: "backup", summary: "All that is kept as one file, written while the lines run; manifest.json in it has the sums of its files", tag: "service", produces: "application/zip"}, s.backup)
	handle(r, "GET", "/truth", operation{id: "truth", summary: "What became of the simulated items, against the truth", tag: "service", errors: []int{404}}, s.truth)
	r.reflectType("Event", new(Event))
}

// recipeRoutes are those of recipes: what is released, and the workbench.
func (s *Server) recipeRoutes(r *router) {
	const one = "/recipes/:product/:role"
	rec := func(id, summary string, errors ...int) operation {
		return operation{id: id, summary: summary, tag: "recipes", errors: errors}
	}
	png := func(id, summary string) operation {
		return operation{id: id, summary: summary, tag: "recipes", produces: "image/png", errors: []int{404}}
	}
	handle(r, "GET", "/recipes", rec("listRecipes", "All recipes, with what is released and how the draft stands"), s.listRecipes)
	handle(r, "POST", "/recipes", rec("newRecipe", "Begin a recipe: from another one, or from a station's last picture, judged or looked at", 403, 404, 409, 422), s.newRecipe)
	handle(r, "POST", "/recipes/upload", rec("uploadRecipe", "Begin a recipe from its reference picture, a file that is the request's body", 403, 409, 413, 422), s.uploadRecipe)
	handle(r, "POST", "/recipes/import", rec("importRecipe", "Take in an archive, the request's body, as a new recipe; whole or not at all", 403, 409, 413, 422), s.importRecipe)
	handle(r, "POST", "/recipes/check", rec("checkRecipe", "Validate the text of a recipe.yaml (the request's body) without keeping it", 403, 413), s.checkRecipe)
	handle(r, "GET", "/kinds", rec("listKinds", "The kinds of checks with what a form for them needs"), s.listKinds)
	handle(r, "GET", one, rec("showRecipe", "What is released of a recipe, with its document", 404), s.showRecipe)
	handle(r, "DELETE", one, rec("deleteRecipe", "Delete a draft that was never released", 403, 404, 409), s.deleteRecipe)
	stream(r, one+"/reference", png("recipeReference", "The picture that the released recipe is taught on"), s.recipeReference)

	handle(r, "GET", one+"/draft", rec("showDraft", "The draft", 404), s.showDraft)
	handle(r, "PUT", one+"/draft", rec("saveDraft", "Save the draft; If-Match names the one that was edited (412: somebody else has saved meanwhile, and both are kept)", 400, 403, 404, 412, 422, 428), s.saveDraft)
	stream(r, one+"/draft/kept/:name", operation{id: "keptDocument", summary: "An earlier document of the draft", tag: "recipes", produces: "application/yaml", errors: []int{404}}, s.keptDocument)
	stream(r, one+"/draft/pictures/:name", png("draftPicture", "A picture file of the draft"), s.draftPicture)
	handle(r, "PUT", one+"/draft/pictures/:name", rec("putDraftPicture", "Give the draft a picture file, the request's body", 403, 404, 413, 422), s.putDraftPicture)
	handle(r, "POST", one+"/draft/pictures", rec("takePicture", "Make a picture that is there already, of a sample, an item or a camera, a picture file of the draft", 403, 404, 409, 422), s.takePicture)
	handle(r, "POST", one+"/draft/try", rec("tryDraft", "Judge a picture with the draft, saved or not, or with a released revision", 400, 403, 404, 409), s.tryDraft)

	handle(r, "GET", one+"/samples", rec("listSamples", "The samples", 404), s.listSamples)
	handle(r, "POST", one+"/samples", rec("addSample", "Make a picture, the request's body or that of an item, a sample", 403, 404, 409, 413, 422), s.addSample)
	handle(r, "POST", one+"/samples/label", rec("labelSamples", "Label samples anew", 403, 404, 422), s.labelSamples)
	handle(r, "PUT", one+"/samples/order", rec("orderOfSamples", "Say what the samples were packed for: lot, expiry, …", 403, 404, 422), s.orderOfSamples)
	handle(r, "POST", one+"/samples/remove", rec("removeSamples", "Remove samples with their pictures", 403, 404, 422), s.removeSamples)
	stream(r, one+"/samples/:name/picture", png("samplePicture", "The picture of a sample"), s.samplePicture)
	lined := func(id, summary string) operation {
		return operation{id: id, summary: summary + "; one JSON object a line as in Progress, the last one with the result", tag: "recipes", produces: "application/x-ndjson", errors: []int{400, 403, 404}}
	}
	streamTo(r, "POST", one+"/trial", lined("trial", "Judge all samples with the draft, saved or not"), s.trial)
	streamTo(r, "POST", one+"/stress", lined("stress", "Judge all samples again and again, more and more disturbed"), s.stress)

	handle(r, "POST", one+"/what-if", rec("whatIf", "What the draft with some limits moved would have made of items of the past, from their readings", 400, 403, 404, 422), s.whatIf)
	streamTo(r, "POST", one+"/what-if/pictures", operation{id: "whatIfPictures", summary: "The same from the newest 2000 pictures that are kept; one JSON object a line as in WhatIfProgress, the last one with the result", tag: "recipes", produces: "application/x-ndjson", errors: []int{400, 403, 404, 422}}, s.whatIfPictures)
	handle(r, "POST", one+"/draft/limits", rec("moveLimits", "Move limits of the draft, which is saved", 400, 403, 404, 412, 422), s.moveLimits)

	handle(r, "GET", one+"/releases", rec("listReleases", "Who released and retired what, when and why, newest first", 404), s.listReleases)
	handle(r, "POST", one+"/release", rec("release", "Release the draft; refused while a sample is judged wrong, unless a reason is given", 403, 404, 409, 412, 422), s.release)
	handle(r, "POST", one+"/retire", rec("retire", "Take the released revision out of use", 403, 404, 422), s.retire)
	handle(r, "POST", one+"/restore", rec("restore", "Release an earlier revision again", 403, 404, 422), s.restore)
	handle(r, "GET", one+"/diff", rec("diff", "What differs between two revisions, or one and the draft, in words", 404), s.diff)
	stream(r, one+"/export", operation{id: "exportRecipe", summary: "The draft with its pictures and samples as one file", tag: "recipes", produces: "application/zip", errors: []int{404, 422}}, s.exportRecipe)
	r.reflectType("Progress", new(Progress))
	r.reflectType("WhatIfProgress", new(WhatIfProgress))
}

// bodyLimit bounds what a request may bring. Uploads have bounds of their own.
func bodyLimit() echo.MiddlewareFunc {
	limit := middleware.BodyLimit(mostBody)
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		limited := limit(next)
		return func(c *echo.Context) error {
			p := strings.TrimPrefix(c.Request().URL.Path, prefix+"/recipes/")
			switch {
			case p == "upload", p == "import", strings.HasSuffix(p, "/samples"), strings.Contains(p, "/draft/pictures/"):
				return next(c)
			}
			return limited(c)
		}
	}
}

// reflectType puts the type of a stream's data into the document.
func (r *router) reflectType(name string, v any) {
	add := func(name string, schema jsonschema.Schema) {
		m, err := schema.ToSchemaOrBool().ToSimpleMap()
		if err != nil {
			r.err = errors.Join(r.err, err)
			return
		}
		r.reflect.SpecEns().ComponentsEns().WithSchemasItem(name, m)
	}
	schema, err := r.reflect.JSONSchemaReflector().Reflect(v,
		jsonschema.CollectDefinitions(add), jsonschema.DefinitionsPrefix("#/components/schemas/"))
	if err != nil {
		r.err = errors.Join(r.err, err)
		return
	}
	add(name, schema)
}

// stripPackage names schemas by their type alone.
func stripPackage(rc *jsonschema.ReflectContext) {
	jsonschema.InterceptDefName(func(_ reflect.Type, name string) string {
		for _, pkg := range []string{"Api", "Check", "Station", "Store", "Workbench", "Trial"} {
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
