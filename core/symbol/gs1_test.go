package symbol_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/symbol"
	"ricetta/internal/drawn"
)

func TestElementStrings(t *testing.T) {
	for message, want := range map[string][]symbol.Part{
		"01" + drawn.WithCheck("0800123456789") + "17271231" + "104711-A": {{AI: "01", Name: "gtin", Value: drawn.WithCheck("0800123456789")}, {AI: "17", Name: "expiry", Value: "2027-12-31"}, {AI: "10", Name: "lot", Value: "4711-A"}},
		"104711\x1d21S9\x1d15280200":                                      {{AI: "10", Name: "lot", Value: "4711"}, {AI: "21", Name: "serial", Value: "S9"}, {AI: "15", Name: "best_before", Value: "2028-02-29"}},
		"3103001250" + "3922" + "499\x1d" + "8020REF-7\x1d" + "990x":      {{AI: "3103", Name: "net_weight", Value: "1.250"}, {AI: "3922", Name: "price", Value: "4.99"}, {AI: "8020", Value: "REF-7"}, {AI: "99", Value: "0x"}},
		"11760101\x1d3012": {{AI: "11", Name: "production", Value: "1976-01-01"}, {AI: "30", Name: "amount", Value: "12"}},
	} {
		parts, ok := symbol.Parts(message)
		assert.True(t, ok, "%q", message)
		assert.Equal(t, want, parts, "%q", message)
	}
	for why, message := range map[string]string{
		"no identifier":         "Lot 4711",
		"a wrong check digit":   "0108001234567890",
		"too short":             "01080012345",
		"no such month":         "17271331",
		"no such day":           "17270230",
		"letters in a date":     "17A71231",
		"nothing at all":        "",
		"an identifier alone":   "10",
		"an unknown identifier": "05123",
	} {
		_, ok := symbol.Parts(message)
		assert.False(t, ok, why)
	}
}
