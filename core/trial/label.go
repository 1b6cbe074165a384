package trial

import (
	"fmt"
	"strings"

	"ricetta/core/recipe"
)

// Label says what should become of a sample. The zero value is that of one nobody has
// labeled.
type Label struct {
	// Route is where the item belongs: "pass" for a good one, "reject" for a bad one,
	// "rework" or a named route; "" where nobody has said.
	Route string
	// Reason is the check that should fail, where somebody has said.
	Reason string
}

// The words of labels; every other word is the name of a route.
const (
	Good      = "good"
	Bad       = "bad"
	Unlabeled = "unlabeled"
)

// ParseLabel reads "good", "bad", "bad: REASON", "unlabeled" or the name of a route, which
// may have a reason as well.
func ParseLabel(s string) (Label, error) {
	word, reason, _ := strings.Cut(s, ":")
	word, reason = strings.TrimSpace(word), strings.TrimSpace(reason)
	l := Label{word, reason}
	switch word {
	case "", Unlabeled:
		l.Route = ""
	case Good:
		l.Route = recipe.Pass
	case Bad:
		l.Route = recipe.Reject
	}
	if strings.ContainsAny(l.Route+l.Reason, " \t\n/") {
		return Label{}, fmt.Errorf("%q is no label; write good, bad, bad: CHECK, unlabeled, or the name of a route", s)
	}
	if l.Reason != "" && (l.Route == recipe.Pass || l.Route == "") {
		return Label{}, fmt.Errorf("%q gives a reason for an item that does not fail; write bad: %s", s, l.Reason)
	}
	return l, nil
}

// Word returns the label without its reason.
func (l Label) Word() string {
	switch l.Route {
	case "":
		return Unlabeled
	case recipe.Pass:
		return Good
	case recipe.Reject:
		return Bad
	}
	return l.Route
}

// String returns what ParseLabel reads.
func (l Label) String() string {
	if l.Reason != "" {
		return l.Word() + ": " + l.Reason
	}
	return l.Word()
}
