package print_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/print"
)

type anyExpression struct{}

func (anyExpression) CompileBool(source string) (check.Rule, error) {
	if source == `nobody.text == ""` {
		return nil, errors.New("there is no check nobody")
	}
	return nil, nil
}

func TestTextsAgree(t *testing.T) {
	findings := []*check.Finding{
		{Check: "label", Outcome: check.OK, Texts: []check.Text{{Name: "text", Value: "LOT l4711 EXP 31.12.27"}}},
		{Check: "code", Outcome: check.OK, Texts: []check.Text{{Name: "text", Value: "01040063813339311727123110L4711"}, {Name: "expiry", Value: "2027-12-31"}}},
		{Check: "blank", Outcome: check.Failed},
		{Check: "away", Outcome: check.NotJudged},
	}
	order := check.Order{"lot": "L4712", "expiry": "2027-12"}
	lot := print.Source{Of: "label.text", Pattern: `LOT (\w+)`}
	const exact = true
	for _, tc := range []struct {
		a, b    print.Source
		cased   bool
		outcome check.Outcome
		say     string
	}{
		{lot, print.Source{Of: "code.text", Part: "lot"}, false, check.OK, "both say l4711"},
		{lot, print.Source{Of: "code.text", Part: "10"}, exact, check.Failed, "label.text says l4711, code.text says L4711"},
		{lot, print.Source{Of: "order.lot"}, false, check.Failed, "order.lot says L4712"},
		{print.Source{Of: "label.text", Pattern: `EXP (.*)`, Day: "dd.MM.yy"}, print.Source{Of: "code.expiry"}, false, check.OK, "both say 2027-12-31"},
		{print.Source{Of: "label.text", From: 15, Day: "dd.MM.yy"}, print.Source{Of: "order.expiry"}, false, check.OK, "2027-12-31"},
		{print.Source{Of: "label.text", From: 5, Length: 3}, print.Source{Of: "code.text", Pattern: "L47"}, false, check.OK, "both say l47"},
		{print.Source{Of: "label.text", From: 5, Length: 300}, lot, false, check.Failed, "is too short"},
		{print.Source{Of: "label.text", Day: "dd.MM.yy"}, lot, false, check.Failed, "is no day in that form"},
		{print.Source{Of: "code.text", Part: "serial"}, lot, false, check.Failed, "has no part serial"},
		{print.Source{Of: "label.text", Pattern: "PRICE"}, lot, false, check.Failed, "has nothing as in PRICE"},
		{print.Source{Of: "blank.text"}, lot, false, check.Failed, "blank read no text"},
		{print.Source{Of: "away.text"}, lot, false, check.NotJudged, "away.text was not read"},
		{print.Source{Of: "order.price"}, lot, false, check.Fault, "has no price"},
	} {
		s := print.AgreeSettings{First: tc.a, Second: tc.b, Case: tc.cased}
		require.NoError(t, s.Validate())
		taught, err := print.Agree.Teach(&check.Teaching{Expressions: anyExpression{}}, &s)
		require.NoError(t, err)
		f := new(check.Finding)
		f.Reset()
		taught.NewJudge().Judge(&check.Input{Findings: findings, Order: order}, f)
		assert.Equal(t, tc.outcome, f.Outcome, "%+v", tc)
		assert.Contains(t, string(f.Sentence), tc.say)
	}
	for say, a := range map[string]print.Source{
		"first.pattern: ":          {Of: "label.text", Pattern: "("},
		"first.day: ":              {Of: "label.text", Day: "yyy"},
		"weeks cannot be compared": {Of: "label.text", Day: "ww/yy"},
	} {
		s := print.AgreeSettings{First: a, Second: lot}
		assert.ErrorContains(t, s.Validate(), say)
	}
	s := print.AgreeSettings{First: print.Source{Of: "nobody.text"}, Second: lot}
	_, err := print.Agree.Teach(&check.Teaching{Expressions: anyExpression{}}, &s)
	assert.ErrorContains(t, err, "there is no check nobody")
}
