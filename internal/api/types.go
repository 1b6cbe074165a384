package api

import (
	"time"

	"ricetta/core/check"
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
	ID       string             `json:"id" required:"true"`
	Name     string             `json:"name" required:"true"`
	Line     string             `json:"line" required:"true"`
	Role     string             `json:"role" required:"true"`
	Status   string             `json:"status" required:"true" enum:"running,held,stopped"`
	Why      string             `json:"why" required:"true" description:"What someone has to look at; empty when all is well"`
	Since    time.Time          `json:"since" required:"true"`
	Product  string             `json:"product" required:"true"`
	Revision string             `json:"revision" required:"true"`
	Underway int                `json:"underway" required:"true" description:"Items between camera and last ejector"`
	Counters station.Counters   `json:"counters" required:"true"`
	Ejectors map[string]Ejector `json:"ejectors" required:"true" nullable:"false"`
	Every    int64              `json:"every" required:"true" description:"Encoder counts from item to item"`
	Last     *Item              `json:"last,omitempty" description:"The last recorded item"`
	// Calibration is absent where nobody has said how large a pixel is.
	Calibration *Calibration `json:"calibration,omitempty"`
	Order       check.Order  `json:"order,omitempty" nullable:"false" description:"What is packed: lot, expiry, …"`
}

// Ejector is where an output acts, in encoder counts.
type Ejector struct {
	Offset  int64 `json:"offset" required:"true"`
	Pulse   int64 `json:"pulse" required:"true"`
	Confirm int64 `json:"confirm" required:"true"`
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

// Event is one message of the live stream: an item or the state of a station.
type Event struct {
	Kind    string      `json:"kind" required:"true" enum:"item,station"`
	Item    *ItemDetail `json:"item,omitempty"`
	Station *Station    `json:"station,omitempty"`
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
		Since: s.Since.UTC(), Product: s.Product, Revision: s.Revision, Underway: s.Underway, Counters: s.Counters,
		Ejectors: map[string]Ejector{}, Every: s.Config.Every,
	}
	out.Order = s.Order
	if s.Calibration.MMPerPx > 0 {
		c := calibrationOf(s.Calibration)
		out.Calibration = &c
	}
	for r, e := range s.Config.Ejectors {
		out.Ejectors[r] = Ejector{e.Offset, e.Pulse, e.Confirm}
	}
	return out
}
