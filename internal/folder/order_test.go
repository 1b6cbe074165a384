package folder

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
)

func TestAnOrderIsReadFromYAMLOrJSON(t *testing.T) {
	file := filepath.Join(t.TempDir(), "order.yaml")
	for text, want := range map[string]check.Order{
		"lot: L4711\nexpiry: 2027-12-31\nprice: 4.90\nserial: 0047\n": {"lot": "L4711", "expiry": "2027-12-31", "price": "4.90", "serial": "0047"},
		"lot: '12 34'":                    {"lot": "12 34"},
		`{"lot": "0047", "price": "4.9"}`: {"lot": "0047", "price": "4.9"},
	} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		o, err := Order(file)
		require.NoError(t, err, text)
		assert.Equal(t, want, o)
	}
	require.NoError(t, os.WriteFile(file, []byte("- lot"), 0o600))
	_, err := Order(file)
	assert.ErrorContains(t, err, "names and values, as in lot: L4711")
	_, err = Order(file + ".gone")
	assert.Error(t, err)
}
