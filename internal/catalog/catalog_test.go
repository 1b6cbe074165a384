package catalog

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
)

func catalog(t *testing.T, orders string) (*Catalog, string) {
	dir := t.TempDir()
	path := filepath.Join(dir, OrdersFile)
	if orders != "" {
		require.NoError(t, os.WriteFile(path, []byte(orders), 0o600))
	}
	c, err := Open(dir, []Product{{Code: "pencil-tin-12", GTIN: "4012345000016"}, {Code: "glue-stick-20", Name: "Glue stick", GTIN: "40123455"}})
	require.NoError(t, err)
	return c, path
}

const orders = "\ufefforder,product,lot,expiry,quantity\n4711,pencil-tin-12,L1,,1200\n\"47 12\",40123455,L2,2027-12-31,\n"

func TestWhatIsToBePackedIsFound(t *testing.T) {
	c, _ := catalog(t, orders)
	known := func(p string) bool { return p == "pencil-tin-12" || p == "loose" }
	for text, want := range map[string]Found{
		"pencil-tin-12":    {"pencil-tin-12", check.Order{}, "product pencil-tin-12"},
		" loose ":          {"loose", check.Order{}, "product loose"},
		"4711":             {"pencil-tin-12", check.Order{"order": "4711", "lot": "L1", "quantity": "1200"}, "order 4711"},
		"47 12":            {"glue-stick-20", check.Order{"order": "47 12", "lot": "L2", "expiry": "2027-12-31"}, "order 47 12"},
		"4012345000016":    {"pencil-tin-12", check.Order{}, "GTIN 4012345000016"},
		"]E04012345000016": {"pencil-tin-12", check.Order{}, "GTIN 4012345000016"},
		"(01)04012345000016(10)L 9(17)271200(30)0040": {"pencil-tin-12", check.Order{"lot": "L 9", "expiry": "2027-12-31", "quantity": "40"}, "GTIN 04012345000016"},
		"]C10104012345000016" + "10L9\x1d17271231":    {"pencil-tin-12", check.Order{"lot": "L9", "expiry": "2027-12-31"}, "GTIN 04012345000016"},
		"(400)4711(10)L7": {"pencil-tin-12", check.Order{"order": "4711", "lot": "L7", "quantity": "1200"}, "order 4711"},
	} {
		got, err := c.Find(text, known)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "4713", "4012345000017", "glue", "(01)04012345000017(10)L9", "(10)L9"} {
		_, err := c.Find(text, known)
		assert.Error(t, err, text)
	}
}

func TestOrdersAreReadAnewWhenTheyChange(t *testing.T) {
	c, path := catalog(t, "")
	list, err := c.Orders()
	require.NoError(t, err)
	assert.Empty(t, list, "there need be none")
	at := time.Now()
	write := func(text string) {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		at = at.Add(time.Second)
		require.NoError(t, os.Chtimes(path, at, at))
	}
	write(orders)
	list, err = c.Orders()
	require.NoError(t, err)
	assert.Len(t, list, 2)
	for text, say := range map[string]string{
		"":                                 "no first row",
		"order,lot\n1,2\n":                 "needs the columns order and product; it has order, lot",
		"order,product\n1,x\n1,x\n":        "row 3: order 1 is there twice",
		"order,product\n,x\n":              "row 2: it has no number",
		"order,product\n1,\n":              "order 1 has no product",
		"order,product,expiry\n1,x,soon\n": "row 2: expiry: \"soon\" is no day",
		"order,product\n1,x,y\n":           "wrong number of fields",
		"order,product,Best Before\n1,x,tomorrow\n": `"best before" is no name`,
	} {
		write(text)
		_, err := c.Orders()
		assert.ErrorContains(t, err, say)
		_, err = c.Find("1", func(string) bool { return false })
		assert.ErrorContains(t, err, say, "nothing is found in a broken file")
	}
	write(orders)
	_, err = c.Orders()
	require.NoError(t, err)
}

func TestProductsThatCannotBeMeantAreRefused(t *testing.T) {
	for say, products := range map[string][]Product{
		"has no code":                      {{GTIN: "40123455"}},
		`"4012345000017" is no GTIN`:       {{Code: "a", GTIN: "4012345000017"}},
		"two products have a":              {{Code: "a"}, {Code: "a"}},
		"two products have 00000040123455": {{Code: "a", GTIN: "40123455"}, {Code: "b", GTIN: "00000040123455"}},
	} {
		_, err := Open(t.TempDir(), products)
		assert.ErrorContains(t, err, say)
	}
}
