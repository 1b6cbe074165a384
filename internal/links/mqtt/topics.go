package mqtt

import (
	"encoding/json"
	"time"

	"ricetta/core/check"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Topics below the one of the configuration.
const (
	topicOnline = "online"   // retained: 1, and 0 by the last will
	topicLines  = "lines/"   // LINE/state (retained), LINE/package, LINE/command, LINE/answer
	topicItems  = "stations" // STATION/item
	topicAlarm  = "alarm"
	topicTags   = "tags/" // TAG (retained), TAG/set, TAG/answer
	leafState   = "/state"
	leafPackage = "/package"
	leafCommand = "/command"
	leafAnswer  = "/answer"
	leafSet     = "/set"
	leafItem    = "/item"
	wildcard    = "+"
	onlineYes   = "1"
	onlineNo    = "0"
)

// state is the payload of LINE/state.
type state struct {
	Status   string           `json:"status"`
	Why      string           `json:"why,omitempty"`
	Product  string           `json:"product"`
	Order    check.Order      `json:"order,omitempty"`
	Run      int64            `json:"run"`
	Packages int64            `json:"packages"`
	Routes   map[string]int64 `json:"routes"`
	Faults   int64            `json:"faults"`
	Underway int              `json:"underway"`
	Due      bool             `json:"challenge_due"`
}

func stateOf(s line.State) state {
	n := s.Counters
	return state{string(s.Status), s.Why, s.Run.Product, s.Run.Order, s.Run.ID, n.Packages, n.Routes, n.Faults, s.Underway, s.Proof.Due}
}

// pack is the payload of LINE/package.
type pack struct {
	Seq       int64     `json:"seq"`
	Run       int64     `json:"run"`
	Time      time.Time `json:"time"`
	Product   string    `json:"product"`
	Route     string    `json:"route"`
	Station   string    `json:"station,omitempty"`
	Fault     string    `json:"fault,omitempty"`
	Reason    string    `json:"reason,omitempty"`
	Sentence  string    `json:"sentence,omitempty"`
	Challenge int64     `json:"challenge,omitempty"`
}

func packOf(p *line.Package) pack {
	return pack{p.Seq, p.Run, p.Time.UTC(), p.Product, p.Route, p.Station, string(p.Fault), p.Reason, p.Sentence, p.Challenge}
}

// item is the payload of STATION/item.
type item struct {
	Seq      int64              `json:"seq"`
	Time     time.Time          `json:"time"`
	Product  string             `json:"product"`
	Revision string             `json:"revision"`
	Route    string             `json:"route"`
	Fault    string             `json:"fault,omitempty"`
	Reason   string             `json:"reason,omitempty"`
	Sentence string             `json:"sentence,omitempty"`
	Readings map[string]float64 `json:"readings"`
	Texts    map[string]string  `json:"texts,omitempty"`
}

func itemOf(it *station.Item) item {
	out := item{
		Seq: it.Seq, Time: it.Time.UTC(), Product: it.Product, Revision: it.Revision, Route: it.Route, Fault: string(it.Fault),
		Reason: it.Reason, Sentence: it.Sentence,
	}
	out.Readings, out.Texts = links.ByName(it)
	return out
}

// alarmed is the payload of alarm.
type alarmed struct {
	ID      int64     `json:"id"`
	Line    string    `json:"line,omitempty"`
	Station string    `json:"station,omitempty"`
	Kind    string    `json:"kind"`
	Holds   bool      `json:"holds"`
	Text    string    `json:"text"`
	Raised  time.Time `json:"raised"`
	Stands  bool      `json:"stands"`
	Who     string    `json:"who,omitempty"` // has acknowledged it
}

func alarmOf(a alarm.Alarm) alarmed {
	return alarmed{a.ID, a.Line, a.Station, string(a.Kind), a.Holds, a.Text, a.Raised.UTC(), a.Gone.IsZero(), a.Who}
}

// tagged is the payload of a tag.
type tagged struct {
	Valid bool       `json:"valid"`
	Value float64    `json:"value"`
	Text  string     `json:"text"`
	Time  *time.Time `json:"time,omitempty"`
}

func tagOf(v links.Value) tagged { return tagged{v.Valid, v.Number, v.Text, v.Time} }

// command is the payload of LINE/command.
type command struct {
	ID      string      `json:"id"` // comes back with the answer
	Do      string      `json:"do"` // change, start, stop, trigger
	Product string      `json:"product"`
	Order   check.Order `json:"order"`
	Cleared bool        `json:"cleared"`
	Who     string      `json:"who"`
}

// answer is the payload of LINE/answer and TAG/answer.
type answer struct {
	ID  string `json:"id,omitempty"`
	OK  bool   `json:"ok"`
	Why string `json:"why,omitempty"`
	Run int64  `json:"run,omitempty"`
}

func mustJSON(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic("mqtt: a message that cannot be written: " + err.Error()) // only types of this file
	}
	return data
}
