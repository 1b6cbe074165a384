package station

import (
	"context"
	"time"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Item is one package at one station: its picture, verdict and readings.
type Item struct {
	Station, Line, Role string
	// Seq is the number of the package: those of a line run without gaps, over all starts.
	Seq int64
	// Run is the line's run that the package belongs to, 0 where there is none.
	Run int64
	// Challenge is the one whose test piece it was, 0 in production.
	Challenge int64
	Time      time.Time
	// Count is the encoder count at which the picture was due.
	Count             int64
	Product, Revision string
	// Order is what it was compared with. It is not kept with the item.
	Order check.Order
	Route string
	// Fault names what went wrong, "" for an item that was judged properly.
	Fault            Fault
	Reason, Sentence string
	// Took is how long judging took; Delay runs from the trigger to the verdict.
	Took, Delay time.Duration
	Findings    []check.FindingJSON
	// Picture is what the source delivered; without pixels where it did not.
	Picture raster.Picture
}

// Fault is a kind of failure that sends an item to reject.
type Fault string

// The faults.
const (
	NoFault     Fault = ""
	NoPicture   Fault = "no_picture"   // the source delivered none in time
	TooFast     Fault = "too_fast"     // earlier items were still being judged
	Late        Fault = "late"         // the item was at the ejector before its verdict
	CheckFault  Fault = "check"        // a check could not do its work
	Crash       Fault = "crash"        // judging broke down
	NotRecorded Fault = "not_recorded" // the record could not be written
	NoRecipe    Fault = "no_recipe"    // there is nothing to judge with
)

// Source delivers pictures.
type Source interface {
	// Take returns the picture of the item that was under the camera at the given
	// encoder count. It returns when ctx ends, at the latest.
	Take(ctx context.Context, count int64) (raster.Picture, error)
}

// Line is what a station works for: it joins the verdicts of a package's items.
type Line interface {
	// Decide settles the route of an item. It returns the route that stands: reject, with late
	// set, where the package is at the ejector already.
	Decide(Verdict) (stands string, late bool)
	// Drift tells that the pictures of a station drift from the reference, what that does (warn
	// or hold) and in what; an empty text says that they do not any more.
	Drift(station, act, text string)
}

// Verdict is what a station says of an item.
type Verdict struct {
	Station          string
	Seq              int64
	Route            string
	Fault            Fault
	Reason, Sentence string
}

// Recorder keeps items.
type Recorder interface {
	// Record writes an item for good and then calls done, once and from another
	// goroutine. It does not block: what it has no room for, it refuses by done.
	Record(it *Item, done func(error))
}

// Listener is told what happened. Its methods return quickly.
type Listener interface {
	// Recorded comes after the item is on disk.
	Recorded(it *Item)
	// Changed comes after the state of the station changed.
	Changed(s State)
}

// Status is what a station is doing.
type Status string

// The states of a station.
const (
	Running Status = "running"
	Held    Status = "held" // stopped by itself; someone has to look
	Stopped Status = "stopped"
)

// State is what a station is doing and how it goes.
type State struct {
	Config   Config
	Status   Status
	Why      string // of Held
	Since    time.Time
	Product  string
	Revision string
	// Trouble is what the station itself has to complain of.
	Trouble string
	// Calibration is the scale that the station measures by; its zero value where there is none.
	Calibration raster.Calibration
	// Order is what is packed now.
	Order    check.Order
	Counters Counters
	LastSeq  int64
	// Watched is how the pictures look beside the reference.
	Watched []Watched
}

// Counters count recorded items since the service started.
type Counters struct {
	Inspected   int64            `json:"inspected" required:"true"`
	Routes      map[string]int64 `json:"routes" required:"true" nullable:"false"`
	Faults      int64            `json:"faults" required:"true"`
	NotRecorded int64            `json:"not_recorded" required:"true"`
}

func (c Counters) clone() Counters {
	routes := make(map[string]int64, len(c.Routes))
	for k, v := range c.Routes {
		routes[k] = v
	}
	c.Routes = routes
	return c
}
