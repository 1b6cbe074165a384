// Package catalog finds out what is to be packed from what somebody typed, scanned or sent: the
// number of an order, a code with a GTIN, or a product.
package catalog

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/check"
	"ricetta/core/symbol"
)

// Product is one that can be packed.
type Product struct {
	Code string `yaml:"code" json:"code" required:"true"`
	Name string `yaml:"name,omitempty" json:"name" required:"true"`
	// GTIN has 8, 12, 13 or 14 digits.
	GTIN string `yaml:"gtin,omitempty" json:"gtin" required:"true"`
}

// OrdersFile is where orders are, in the data folder: a table as RFC 4180 says, whose first row
// names the columns. order and product are needed, the latter a code or a GTIN; the others are
// data of the order, as lot, expiry and quantity.
const OrdersFile = "orders.csv"

// Entry is one order.
type Entry struct {
	Number  string      `json:"number" required:"true"`
	Product string      `json:"product" required:"true"`
	Order   check.Order `json:"order" required:"true" nullable:"false"`
}

// Found is what is to be packed.
type Found struct {
	Product string
	Order   check.Order
	// What says what it was found by, as in order 4711.
	What string
}

// Catalog knows products and orders. It may be used concurrently.
type Catalog struct {
	path     string
	products []Product

	mu     sync.Mutex
	read   time.Time // when the file was changed that was read last
	orders []Entry
	err    error // of reading it
}

// Bounds of the file of orders.
const (
	mostBytes  = 16 << 20
	mostOrders = 100_000
)

// Open returns the catalog of a data folder.
func Open(dir string, products []Product) (*Catalog, error) {
	seen := map[string]bool{}
	for i, p := range products {
		if p.Code == "" {
			return nil, errors.New("a product has no code; give it one")
		}
		if p.GTIN != "" {
			full, ok := full(p.GTIN)
			if !ok {
				return nil, fmt.Errorf("product %s: %q is no GTIN; give 8, 12, 13 or 14 digits, of which the last one checks the others", p.Code, p.GTIN)
			}
			products[i].GTIN = full
		}
		for _, key := range []string{p.Code, products[i].GTIN} {
			if key != "" && seen[key] {
				return nil, fmt.Errorf("two products have %s; give each its own", key)
			}
			seen[key] = true
		}
	}
	return &Catalog{path: filepath.Join(dir, OrdersFile), products: products}, nil
}

// full is a GTIN in 14 digits (GS1 General Specifications 7.9: the check digit).
func full(s string) (string, bool) {
	if n := len(s); n != 8 && n != 12 && n != 13 && n != 14 || strings.Trim(s, "0123456789") != "" {
		return "", false
	}
	s = strings.Repeat("0", 14-len(s)) + s
	sum := 0
	for i := range 13 {
		w := 3
		if i%2 == 1 {
			w = 1
		}
		sum += w * int(s[i]-'0')
	}
	return s, (10-sum%10)%10 == int(s[13]-'0')
}

// Products lists those that are described.
func (c *Catalog) Products() []Product { return slices.Clone(c.products) }

// Orders lists the orders as the file has them now.
func (c *Catalog) Orders() ([]Entry, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	info, err := os.Stat(c.path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		c.orders, c.err, c.read = nil, nil, time.Time{}
		return nil, nil
	case err != nil:
		return nil, err
	case info.ModTime().Equal(c.read):
		return c.orders, c.err
	}
	c.orders, c.err = c.load(info.Size())
	c.read = info.ModTime()
	return c.orders, c.err
}

func (c *Catalog) load(size int64) ([]Entry, error) {
	if size > mostBytes {
		return nil, fmt.Errorf("%s has %d MB; %d are enough", OrdersFile, size>>20, mostBytes>>20)
	}
	f, err := os.Open(c.path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	r := csv.NewReader(f)
	r.TrimLeadingSpace = true
	names, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("%s has no first row that names its columns: %w", OrdersFile, err)
	}
	for i := range names {
		names[i] = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(names[i], "\ufeff")))
	}
	number, product := slices.Index(names, "order"), slices.Index(names, "product")
	if number < 0 || product < 0 {
		return nil, fmt.Errorf("%s needs the columns order and product; it has %s", OrdersFile, strings.Join(names, ", "))
	}
	var out []Entry
	seen := map[string]bool{}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", OrdersFile, err)
		}
		at, _ := r.FieldPos(0)
		e := Entry{Number: strings.TrimSpace(row[number]), Order: check.Order{}}
		if e.Number == "" {
			return nil, fmt.Errorf("%s, row %d: it has no number; give it one", OrdersFile, at)
		}
		if seen[e.Number] {
			return nil, fmt.Errorf("%s, row %d: order %s is there twice", OrdersFile, at, e.Number)
		}
		seen[e.Number] = true
		if e.Product = c.code(strings.TrimSpace(row[product])); e.Product == "" {
			return nil, fmt.Errorf("%s, row %d: order %s has no product", OrdersFile, at, e.Number)
		}
		for i, v := range row {
			if v = strings.TrimSpace(v); i != number && i != product && v != "" {
				e.Order[names[i]] = v
			}
		}
		e.Order["order"] = e.Number
		if err := e.Order.Check(); err != nil {
			return nil, fmt.Errorf("%s, row %d: %w", OrdersFile, at, err)
		}
		if out = append(out, e); len(out) > mostOrders {
			return nil, fmt.Errorf("%s has more than %d orders; take out those that are done", OrdersFile, mostOrders)
		}
	}
}

// code is the code of a product that is named by its code or its GTIN.
func (c *Catalog) code(s string) string {
	if g, ok := full(s); ok {
		for _, p := range c.products {
			if p.GTIN == g {
				return p.Code
			}
		}
	}
	return s
}

var (
	// What scanners may send first to say what code it was (ISO/IEC 15424).
	symbology = regexp.MustCompile(`^\][A-Za-z]\d`)
	// An element string as it is printed below a code.
	written = regexp.MustCompile(`\((\d{2,4})\)([^(]+)`)
)

// Find tells what is to be packed. known says whether a product of that code can be.
func (c *Catalog) Find(text string, known func(product string) bool) (Found, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return Found{}, errors.New("nothing was given; give the number of an order, a code, or a product")
	}
	if known(text) {
		return Found{Product: text, Order: check.Order{}, What: "product " + text}, nil
	}
	orders, err := c.Orders()
	if err != nil {
		return Found{}, err
	}
	for _, e := range orders {
		if e.Number == text {
			return Found{Product: e.Product, Order: maps.Clone(e.Order), What: "order " + e.Number}, nil
		}
	}
	bare := symbology.ReplaceAllString(text, "")
	if code := c.code(bare); code != bare {
		return Found{Product: code, Order: check.Order{}, What: "GTIN " + bare}, nil
	}
	if f, ok := c.elements(bare, orders); ok {
		return f, nil
	}
	return Found{}, fmt.Errorf("%q is no order of %s, no code with the GTIN of a product here, and no product with a released recipe", text, OrdersFile)
}

// elements reads a GS1 code: the product by its GTIN, or the order by its number; what else it
// says is data of the order.
func (c *Catalog) elements(text string, orders []Entry) (Found, bool) {
	message := text
	if all := written.FindAllStringSubmatch(text, -1); all != nil {
		message = ""
		for _, m := range all {
			message += m[1] + m[2] + string(rune(symbol.GS))
		}
	}
	parts, ok := symbol.Parts(message)
	if !ok {
		return Found{}, false
	}
	f := Found{Order: check.Order{}}
	for _, p := range parts {
		switch p.Name {
		case "gtin":
			if code := c.code(p.Value); code != p.Value {
				f.Product, f.What = code, "GTIN "+p.Value
			}
		case "order":
			for _, e := range orders {
				if e.Number == p.Value {
					f.Product, f.What = e.Product, "order "+e.Number
					for n, v := range e.Order {
						f.Order[n] = v
					}
				}
			}
		case "amount":
			f.Order["quantity"] = strings.TrimLeft(p.Value, "0")
		case "", "serial", "sscc", "content":
		default:
			f.Order[p.Name] = p.Value
		}
	}
	return f, f.Product != "" && f.Order.Check() == nil
}
