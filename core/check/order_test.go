package check_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
)

func TestOrdersThatCannotBeMeantAreRefused(t *testing.T) {
	require.NoError(t, check.Order(nil).Check())
	require.NoError(t, check.Order{"lot": "0047 B", "expiry": "2028-02-29", "quantity": "1200", "price": "4.90", "line_2": ""}.Check())
	for say, o := range map[string]check.Order{
		`"Lot" is no name`: {"Lot": "1"},
		`"a b" is no name`: {"a b": "1"},
		`expiry: "31.12.2027" is no day as in 2027-03-31`: {"expiry": "31.12.2027"},
		`expiry: "2027-02-29" is no day`:                  {"expiry": "2027-02-29"},
		`quantity is "many"`:                              {"quantity": "many"},
		`quantity is "0"; give a whole number above`:      {"quantity": "0"},
		"lot is 300 characters long; give 200":            {"lot": strings.Repeat("x", 300)},
	} {
		assert.ErrorContains(t, o.Check(), say)
	}
}
