package api

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/line"
	"ricetta/internal/station"
)

// Hub gathers what happens at the stations and hands it to whoever listens. It
// implements station.Listener. It keeps the last events, so that a listener who was
// away for a moment can go on where it was, and the last pictures of each station.
type Hub struct {
	boot string // tells the numbers of this start from those of another

	mu        sync.Mutex
	last      int64 // number of the last event
	events    []message
	listeners map[chan message]struct{}
	recent    map[string][]*station.Item // by station, newest last, with their pictures
	states    map[string]station.State
	closed    bool
}

type message struct {
	n       int64
	station string
	kind    string
	data    []byte
}

// How much a hub keeps: events for those who come back, pictures for the live view.
const (
	keptEvents   = 256
	keptPictures = 6
	// behind is how many events a listener may lag before it is cut off; it comes
	// back and goes on where it was.
	behind = 128
)

// NewHub returns a hub; boot is a name of this start of the service.
func NewHub(boot string) *Hub {
	return &Hub{boot: boot, listeners: map[chan message]struct{}{}, recent: map[string][]*station.Item{}, states: map[string]station.State{}}
}

// Recorded implements station.Listener.
func (h *Hub) Recorded(it *station.Item) {
	d := detailOfItem(it)
	data := mustJSON(Event{Kind: "item", Item: &d})
	h.mu.Lock()
	defer h.mu.Unlock()
	r := append(h.recent[it.Station], it)
	if len(r) > keptPictures {
		r = append(r[:0:0], r[len(r)-keptPictures:]...)
	}
	h.recent[it.Station] = r
	h.send("item", it.Station, data)
}

// Changed implements station.Listener.
func (h *Hub) Changed(s station.State) {
	st := stationOf(s)
	data := mustJSON(Event{Kind: "station", Station: &st})
	h.mu.Lock()
	defer h.mu.Unlock()
	h.states[s.Config.ID] = s
	h.send("station", s.Config.ID, data)
}

// PackageRecorded implements line.Listener.
func (h *Hub) PackageRecorded(p *line.Package) {
	out := packageOf(p)
	h.tell("package", Event{Kind: "package", Package: &out})
}

// LineChanged implements line.Listener.
func (h *Hub) LineChanged(s line.State) {
	out := lineOf(s)
	h.tell("line", Event{Kind: "line", Line: &out})
}

// tell sends what belongs to no one station.
func (h *Hub) tell(kind string, e Event) {
	data := mustJSON(e)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.send(kind, "", data)
}

func mustJSON(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic("api: an event that cannot be written: " + err.Error()) // only types of this package
	}
	return data
}

// send needs the lock.
func (h *Hub) send(kind, stationID string, data []byte) {
	h.last++
	m := message{h.last, stationID, kind, data}
	h.events = append(h.events, m)
	if len(h.events) > keptEvents {
		h.events = append(h.events[:0:0], h.events[len(h.events)-keptEvents/2:]...)
	}
	for l := range h.listeners {
		select {
		case l <- m:
		default:
			delete(h.listeners, l)
			close(l)
		}
	}
}

// listen returns the events after the one numbered after (all kept ones for 0) and
// a channel with those to come. gap is set when events in between are lost.
func (h *Hub) listen(after int64) (missed []message, more chan message, gap bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	more = make(chan message, behind)
	if h.closed {
		close(more)
		return nil, more, false
	}
	for _, m := range h.events {
		if m.n > after {
			missed = append(missed, m)
		}
	}
	gap = after > h.last || len(missed) > 0 && missed[0].n != after+1
	h.listeners[more] = struct{}{}
	return missed, more, gap
}

func (h *Hub) leave(l chan message) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if _, ok := h.listeners[l]; ok {
		delete(h.listeners, l)
		close(l)
	}
}

// Close ends all streams.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for l := range h.listeners {
		delete(h.listeners, l)
		close(l)
	}
}

// latest returns the last item of a station, nil where there is none yet.
func (h *Hub) latest(stationID string) *station.Item {
	h.mu.Lock()
	defer h.mu.Unlock()
	if r := h.recent[stationID]; len(r) > 0 {
		return r[len(r)-1]
	}
	return nil
}

// find returns a recent item, nil where it is none.
func (h *Hub) find(stationID string, seq int64) *station.Item {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, it := range h.recent[stationID] {
		if it.Seq == seq {
			return it
		}
	}
	return nil
}

type liveRequest struct {
	Station     string `query:"station" description:"Only events of this station"`
	LastEventID string `header:"Last-Event-ID" description:"Go on after this event"`
}

// alive is how often a silent stream says that it is still there.
const alive = 10 * time.Second

// live streams events. Each has an id of the form BOOT-NUMBER; a client that comes
// back with Last-Event-ID goes on after it. Where that is no longer possible, an
// event "reset" comes first: the client asks for the present state then.
func (s *Server) live(c *echo.Context, in *liveRequest) error {
	if in.Station != "" && s.station(in.Station) == nil {
		return noStation(in.Station)
	}
	var after int64
	fresh := true
	if boot, n, ok := strings.Cut(c.Request().Header.Get("Last-Event-ID"), "-"); ok {
		v, err := strconv.ParseInt(n, 10, 64)
		fresh = err != nil || boot != s.hub.boot
		if !fresh {
			after = v
		}
	}
	missed, more, gap := s.hub.listen(after)
	defer s.hub.leave(more)
	if fresh {
		// A new listener asks for the present state anyhow; old events would only
		// flicker by.
		missed = nil
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	if fresh || gap {
		fmt.Fprintf(w, "event: reset\nid: %s-%d\ndata: {}\n\n", s.hub.boot, s.hub.number(missed))
	}
	write := func(m message) error {
		if in.Station != "" && m.station != "" && m.station != in.Station {
			return nil
		}
		_, err := fmt.Fprintf(w, "event: %s\nid: %s-%d\ndata: %s\n\n", m.kind, s.hub.boot, m.n, m.data)
		return err
	}
	for _, m := range missed {
		if err := write(m); err != nil {
			return nil
		}
	}
	if err := rc.Flush(); err != nil {
		return nil
	}
	tick := time.NewTicker(alive)
	defer tick.Stop()
	for {
		select {
		case m, ok := <-more:
			if !ok {
				return nil
			}
			if err := write(m); err != nil {
				return nil
			}
		case <-tick.C:
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil {
				return nil
			}
		case <-c.Request().Context().Done():
			return nil
		}
		if err := rc.Flush(); err != nil {
			return nil
		}
	}
}

// number returns the number of the last event before those that follow.
func (h *Hub) number(missed []message) int64 {
	if len(missed) > 0 {
		return missed[0].n - 1
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.last
}
