package api

import (
	"time"

	"ricetta/core/check"
	"ricetta/internal/line"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

// About says what answers here.
type About struct {
	Name    string    `json:"name" required:"true"`
	Version string    `json:"version" required:"true"`
	Site    string    `json:"site" required:"true"`
	Started time.Time `json:"started" required:"true"`
	SIMD    string    `json:"simd" required:"true"`
	// Demo is set when the lines are simulated.
	Demo bool `json:"demo" required:"true"`
}

// Station is a station with what it is doing.
type Station struct {
	ID       string           `json:"id" required:"true"`
	Name     string           `json:"name" required:"true"`
	Line     string           `json:"line" required:"true"`
	Role     string           `json:"role" required:"true"`
	Status   string           `json:"status" required:"true" enum:"running,held,stopped"`
	Why      string           `json:"why" required:"true" description:"What someone has to look at; empty when all is well"`
	Since    time.Time        `json:"since" required:"true"`
	Product  string           `json:"product" required:"true"`
	Revision string           `json:"revision" required:"true"`
	Offset   int64            `json:"offset" required:"true" description:"Encoder counts from the line's trigger to the camera"`
	Counters station.Counters `json:"counters" required:"true" description:"Of the line's run"`
	Last     *Item            `json:"last,omitempty" description:"The last recorded item"`
	// Calibration is absent where nobody has said how large a pixel is.
	Calibration *Calibration `json:"calibration,omitempty"`
	Order       check.Order  `json:"order,omitempty" nullable:"false" description:"What is packed: lot, expiry, …"`
	// Watched is empty before enough pictures were looked at.
	Watched []station.Watched `json:"watched" required:"true" nullable:"false" description:"How the pictures look beside the reference"`
}

// Line is a line with what it is doing.
type Line struct {
	ID       string                  `json:"id" required:"true"`
	Name     string                  `json:"name" required:"true"`
	Status   string                  `json:"status" required:"true" enum:"running,held,stopped"`
	Why      string                  `json:"why" required:"true" description:"What someone has to look at; empty when all is well"`
	Since    time.Time               `json:"since" required:"true"`
	Run      *Run                    `json:"run,omitempty" description:"What is packed; absent where the line never had a recipe"`
	Underway int                     `json:"underway" required:"true" description:"Packages between trigger and last ejector"`
	Counters line.Counters           `json:"counters" required:"true" description:"Of the run"`
	Trigger  line.Trigger            `json:"trigger" required:"true"`
	Ejectors map[string]line.Ejector `json:"ejectors" required:"true" nullable:"false"`
	// AfterStop is hold where the belt must be cleared before a start.
	AfterStop string     `json:"after_stop" required:"true" enum:"eject,hold"`
	Stations  []string   `json:"stations" required:"true" nullable:"false" description:"As a package passes them"`
	Proof     line.Proof `json:"proof" required:"true" description:"How it stands with its challenges"`
	// Challenge is absent where there is none yet.
	Challenge *Challenge `json:"challenge,omitempty" description:"The one that goes on, or else the last one that passed"`
}

// LineList lists the lines in the order of the site.
type LineList struct {
	Lines []Line `json:"lines" required:"true" nullable:"false"`
}

// Run is the production of one product between two changeovers.
type Run struct {
	ID      int64       `json:"id" required:"true"`
	Line    string      `json:"line" required:"true"`
	Product string      `json:"product" required:"true"`
	Order   check.Order `json:"order" required:"true" nullable:"false" description:"Lot, expiry, …"`
	Who     string      `json:"who" required:"true" description:"Who changed the line over"`
	By      string      `json:"by" required:"true" description:"And by what"`
	Begin   time.Time   `json:"begin" required:"true"`
	End     *time.Time  `json:"end,omitempty" description:"Absent while it goes on"`
	// Counters are given in lists of runs.
	Counters *line.Counters `json:"counters,omitempty"`
}

// RunPage is a part of a list of runs, newest first.
type RunPage struct {
	Runs []Run  `json:"runs" required:"true" nullable:"false"`
	Next string `json:"next" required:"true"`
}

// Package is one thing on the belt: its items, joined, and the one route that followed.
type Package struct {
	ID       string    `json:"id" required:"true" description:"Line and number, as in line1.123"`
	Line     string    `json:"line" required:"true"`
	Seq      int64     `json:"seq" required:"true"`
	Run      int64     `json:"run" required:"true"`
	Time     time.Time `json:"time" required:"true"`
	Product  string    `json:"product" required:"true"`
	Route    string    `json:"route" required:"true"`
	Station  string    `json:"station" required:"true" description:"Whose verdict decided; empty where it passed"`
	Fault    string    `json:"fault" required:"true"`
	Reason   string    `json:"reason" required:"true"`
	Sentence string    `json:"sentence" required:"true"`
	// Challenge is 0 in production.
	Challenge int64 `json:"challenge" required:"true" description:"The challenge whose test piece it was"`
}

// PackageDetail is a package with its items.
type PackageDetail struct {
	Package
	Items []Item `json:"items" required:"true" nullable:"false"`
}

// Item is an item without its findings.
type Item struct {
	ID       string    `json:"id" required:"true" description:"Station and number, as in line1-top.123"`
	Station  string    `json:"station" required:"true"`
	Line     string    `json:"line" required:"true"`
	Role     string    `json:"role" required:"true"`
	Seq      int64     `json:"seq" required:"true"`
	Time     time.Time `json:"time" required:"true"`
	Product  string    `json:"product" required:"true"`
	Revision string    `json:"revision" required:"true"`
	Route    string    `json:"route" required:"true"`
	Fault    string    `json:"fault" required:"true"`
	Reason   string    `json:"reason" required:"true"`
	Sentence string    `json:"sentence" required:"true"`
	TookMS   float64   `json:"took_ms" required:"true" description:"Time of judging"`
	DelayMS  float64   `json:"delay_ms" required:"true" description:"From the trigger to the verdict"`
	// Picture says whether the picture can be had.
	Picture bool `json:"picture" required:"true"`
	// Review is what a person said of it.
	Review string `json:"review" required:"true" enum:",good,bad" description:"What somebody said it truly was; empty where nobody has"`
}

// ItemDetail is an item with its findings.
type ItemDetail struct {
	Item
	Findings []check.FindingJSON `json:"findings" required:"true" nullable:"false"`
}

// ItemPage is a part of a list of items, newest first.
type ItemPage struct {
	Items []Item `json:"items" required:"true" nullable:"false"`
	// Next is the cursor of the following part, empty at the end.
	Next string `json:"next" required:"true"`
}

// StationList lists the stations in the order of the site.
type StationList struct {
	Stations []Station `json:"stations" required:"true" nullable:"false"`
}

// Recipe is a recipe in short: what is released, and how its draft stands.
type Recipe struct {
	Product string `json:"product" required:"true"`
	Role    string `json:"role" required:"true"`
	State   string `json:"state" required:"true" enum:"draft,released,retired" description:"draft: never released"`
	// Revision is the one that is released.
	Revision  string     `json:"revision" required:"true" description:"The released one; empty where none is"`
	Who       string     `json:"who" required:"true" description:"Who released or retired it"`
	Time      *time.Time `json:"time,omitempty"`
	Edited    bool       `json:"edited" required:"true" description:"The draft differs from what is released"`
	Problems  int        `json:"problems" required:"true" description:"What keeps the draft from being made ready"`
	Base      string     `json:"base" required:"true" description:"Of a variant: the base"`
	Kind      string     `json:"kind" required:"true"`
	Checks    int        `json:"checks" required:"true"`
	Reference string     `json:"reference" required:"true" description:"File of the reference picture"`
	Stations  []string   `json:"stations" required:"true" nullable:"false" description:"Stations that run the product"`
	Behind    bool       `json:"behind" required:"true" description:"A station runs another revision than the released one"`
}

// RecipeDetail is a recipe with its document.
type RecipeDetail struct {
	Recipe
	Document string        `json:"document" required:"true" description:"recipe.yaml"`
	Steps    []RecipeCheck `json:"steps" required:"true" nullable:"false"`
	Warnings []string      `json:"warnings" required:"true" nullable:"false"`
}

// RecipeCheck is one check of a recipe.
type RecipeCheck struct {
	ID          string `json:"id" required:"true"`
	Kind        string `json:"kind" required:"true"`
	On          string `json:"on" required:"true"`
	MeasureOnly bool   `json:"measure_only" required:"true"`
}

// RecipeList lists recipes.
type RecipeList struct {
	Recipes []Recipe `json:"recipes" required:"true" nullable:"false"`
}

// Tally is how many items have the grouped fields in common.
type Tally struct {
	Key   map[string]string `json:"key" required:"true" nullable:"false"`
	Count int64             `json:"count" required:"true"`
}

// TallyList is an answer to a question for counts.
type TallyList struct {
	By      []string `json:"by" required:"true" nullable:"false"`
	Total   int64    `json:"total" required:"true"`
	Tallies []Tally  `json:"tallies" required:"true" nullable:"false"`
}

// Truth is what became of the simulated tins, against the truth.
type Truth struct {
	Tins         int64      `json:"tins" required:"true"`
	LetThrough   int64      `json:"let_through" required:"true"`
	FalseRejects int64      `json:"false_rejects" required:"true"`
	Rows         []TruthRow `json:"rows" required:"true" nullable:"false"`
}

// TruthRow counts the tins with one defect by the route on which they left.
type TruthRow struct {
	Defect string           `json:"defect" required:"true"`
	Routes map[string]int64 `json:"routes" required:"true" nullable:"false"`
}

// Event is one message of the live stream: an item, a package, or the state of a station or
// line.
type Event struct {
	Kind    string      `json:"kind" required:"true" enum:"item,package,station,line,alarm"`
	Item    *ItemDetail `json:"item,omitempty"`
	Package *Package    `json:"package,omitempty"`
	Station *Station    `json:"station,omitempty"`
	Line    *Line       `json:"line,omitempty"`
	Alarm   *Alarm      `json:"alarm,omitempty"`
}

func itemOf(it *station.Item) Item {
	return Item{
		ID: itemID(it.Station, it.Seq), Station: it.Station, Line: it.Line, Role: it.Role, Seq: it.Seq, Time: it.Time.UTC(),
		Product: it.Product, Revision: it.Revision, Route: it.Route, Fault: string(it.Fault), Reason: it.Reason, Sentence: it.Sentence,
		TookMS: check.Rounded(it.Took.Seconds()*1000, 100), DelayMS: check.Rounded(it.Delay.Seconds()*1000, 100),
		Picture: it.Picture.Kind() != "",
	}
}

func detailOfItem(it *station.Item) ItemDetail {
	f := it.Findings
	if f == nil {
		f = []check.FindingJSON{}
	}
	return ItemDetail{itemOf(it), f}
}

func keptItem(k store.Kept) Item {
	out := itemOf(&k.Item)
	out.Picture = k.PictureHash != ""
	return out
}

func stationOf(s station.State) Station {
	out := Station{
		ID: s.Config.ID, Name: s.Config.Name, Line: s.Config.Line, Role: s.Config.Role, Status: string(s.Status), Why: s.Why,
		Since: s.Since.UTC(), Product: s.Product, Revision: s.Revision, Offset: s.Config.Offset, Counters: s.Counters,
		Watched: s.Watched,
	}
	if out.Watched == nil {
		out.Watched = []station.Watched{}
	}
	if out.Why == "" {
		out.Why = s.Trouble
	}
	out.Order = s.Order
	if s.Calibration.MMPerPx > 0 {
		c := calibrationOf(s.Calibration)
		out.Calibration = &c
	}
	return out
}

func lineOf(s line.State) Line {
	out := Line{
		ID: s.Config.ID, Name: s.Config.Name, Status: string(s.Status), Why: s.Why, Since: s.Since.UTC(), Underway: s.Underway,
		Counters: s.Counters, Trigger: s.Config.Trigger, Ejectors: s.Config.Ejectors, AfterStop: s.Config.AfterStop, Stations: []string{},
	}
	if out.AfterStop == "" {
		out.AfterStop = line.Eject
	}
	if s.Run.ID > 0 {
		r := runOf(s.Run)
		out.Run = &r
	}
	for _, st := range s.Config.Stations {
		out.Stations = append(out.Stations, st.ID)
	}
	out.Proof = s.Proof
	if s.Challenge != nil {
		c := challengeOf(*s.Challenge)
		out.Challenge = &c
	}
	return out
}

func runOf(r line.Run) Run {
	out := Run{ID: r.ID, Line: r.Line, Product: r.Product, Order: r.Order, Who: r.Who, By: r.By, Begin: r.Begin.UTC()}
	if out.Order == nil {
		out.Order = check.Order{}
	}
	if !r.End.IsZero() {
		end := r.End.UTC()
		out.End = &end
	}
	return out
}

func packageOf(p *line.Package) Package {
	return Package{
		ID: itemID(p.Line, p.Seq), Line: p.Line, Seq: p.Seq, Run: p.Run, Time: p.Time.UTC(), Product: p.Product, Route: p.Route,
		Station: p.Station, Fault: string(p.Fault), Reason: p.Reason, Sentence: p.Sentence, Challenge: p.Challenge,
	}
}
