package line

import (
	"fmt"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// Package is one thing on the belt: its items at all stations of the line, and the one route
// that follows.
type Package struct {
	Line string
	// Seq numbers the packages of a line, without gaps, over all starts. Its items have the
	// same number.
	Seq  int64
	Run  int64
	Time time.Time
	// Count is where it came to the trigger.
	Count   int64
	Product string
	// Challenge is the one whose piece it was, 0 in production.
	Challenge int64
	Route     string
	// Station is the one whose verdict decided, "" where it passed.
	Station          string
	Fault            station.Fault
	Reason, Sentence string
}

// ByRule is the reason of a package whose route a rule of the line decided.
const ByRule = "rule"

// Faults of packages, besides those of their items.
const (
	NotSeen  station.Fault = "not_seen"  // it went by a camera while the line stood
	Unproven station.Fault = "unproven"  // the line must be proven first
	LeftOver station.Fault = "left_over" // the service ended while it was between trigger and ejector
)

// open is a package under way.
type open struct {
	Package
	tickets  []station.Ticket
	unproven bool   // it may not pass
	asked    []bool // a picture was asked for
	verdicts []*station.Verdict
}

// judged makes the record of a package whose route stands.
func (o *open) judged(route string, late bool, stations []station.Config) *Package {
	p := o.Package
	p.Route = route
	if route == recipe.Pass {
		return &p
	}
	if o.unproven {
		p.Fault, p.Reason = Unproven, string(Unproven)
		p.Sentence = "a challenge is due: until it has passed, only its pieces go through"
		return &p
	}
	if late {
		p.Fault, p.Reason = station.Late, string(station.Late)
		p.Sentence = "its verdicts came too late for the ejector of its route"
	}
	for i, s := range stations {
		v := o.verdicts[i]
		switch {
		case v == nil && late:
			p.Station = s.ID
			p.Sentence = fmt.Sprintf("%s had no verdict when it came to the ejector", name(s))
			if !o.asked[i] {
				p.Fault, p.Reason = NotSeen, string(NotSeen)
				p.Sentence = fmt.Sprintf("it went by %s while the line stood", name(s))
			}
			return &p
		case v != nil && v.Route == route && !late:
			p.Station, p.Fault, p.Reason, p.Sentence = s.ID, v.Fault, v.Reason, v.Sentence
			return &p
		}
	}
	return &p
}

func name(s station.Config) string {
	if s.Name != "" {
		return s.Name
	}
	return s.ID
}
