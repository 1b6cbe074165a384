package store

import (
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"ricetta/core/check"
)

// Figures are the readings of items as plain numbers, beside the findings, which have everything:
// a hundred thousand of them are read in the time that some hundred findings take. Items of one
// station and revision share a layout, which names the numbers; names are only ever added to it.

// layoutRow is what the figures of items have in common.
type layoutRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Station  string `gorm:"not null;uniqueIndex:one_layout"`
	Line     string `gorm:"not null"`
	Product  string `gorm:"not null"`
	Role     string `gorm:"not null"`
	Revision string `gorm:"not null;uniqueIndex:one_layout"`
	Names    []byte `gorm:"not null"` // layoutNames, JSON
}

func (layoutRow) TableName() string { return "layouts" }

// layoutNames names what stands where in the figures of an item.
type layoutNames struct {
	Checks  []string   `json:"checks"`
	Columns []FigureOf `json:"columns"`
	Routes  []string   `json:"routes"`
}

func (r *layoutRow) names() (n layoutNames, err error) {
	if err := json.Unmarshal(r.Names, &n); err != nil {
		return n, fmt.Errorf("the names of figures of %s are broken: %w", r.Station, err)
	}
	return n, nil
}

// FigureOf names a reading.
type FigureOf struct {
	Check int    `json:"check"` // index into the checks
	Name  string `json:"name"`
	Unit  string `json:"unit,omitempty"`
}

// figuresTable keeps the figures of a layout together, in the order of the items. data is: flags,
// route, how many checks, an outcome for each, and a float64 (little-endian) for each column.
const figuresTable = `CREATE TABLE figures (layout INTEGER NOT NULL, item INTEGER NOT NULL, shift INTEGER NOT NULL, data BLOB NOT NULL, PRIMARY KEY (layout, item)) WITHOUT ROWID`

const (
	flagFault     = 1 << 0 // of figures: the item has a fault
	outcomeItself = 1 << 7 // of an outcome: it failed by itself
)

// Layout says what the figures of some items are.
type Layout struct {
	Station, Line, Product, Role, Revision string
	Checks                                 []string
	Columns                                []FigureOf
	Routes                                 []string
}

// Figures are those of one item. Its memory is good until the next one.
type Figures struct {
	Item ID
	data []byte
}

// Fault reports whether the item has one.
func (f Figures) Fault() bool { return f.data[0]&flagFault != 0 }

// Route is the number of the item's route in the layout.
func (f Figures) Route() int { return int(f.data[1]) }

// Outcome is that of a check by its number in the layout; itself, that it failed whatever the
// limits say.
func (f Figures) Outcome(i int) (o check.Outcome, itself bool) {
	if i >= int(f.data[2]) {
		return check.NotJudged, false
	}
	b := f.data[3+i]
	return check.Outcome(b &^ outcomeItself), b&outcomeItself != 0
}

// Value is the reading of a column of the layout; NaN where it was not taken.
func (f Figures) Value(i int) float64 {
	at := 3 + int(f.data[2]) + 8*i
	if at+8 > len(f.data) {
		return math.NaN()
	}
	return math.Float64frombits(binary.LittleEndian.Uint64(f.data[at:]))
}

// layout is one that the writer adds to.
type layout struct {
	row   layoutRow
	names layoutNames
	dirty bool
	at    map[FigureOf]int // without the unit
}

func (s *Store) layoutOf(tx *gorm.DB, r *itemRow) (*layout, error) {
	key := [2]string{r.Station, r.Revision}
	if l := s.layouts[key]; l != nil {
		return l, nil
	}
	l := &layout{at: map[FigureOf]int{}}
	err := tx.Where("station = ? AND revision = ?", r.Station, r.Revision).Limit(1).Find(&l.row).Error
	if err != nil {
		return nil, err
	}
	if l.row.ID == 0 {
		l.row = layoutRow{Station: r.Station, Line: r.Line, Product: r.Product, Role: r.Role, Revision: r.Revision, Names: []byte("{}")}
		if err := tx.Create(&l.row).Error; err != nil {
			return nil, err
		}
	}
	if l.names, err = l.row.names(); err != nil {
		return nil, err
	}
	for i, c := range l.names.Columns {
		l.at[FigureOf{Check: c.Check, Name: c.Name}] = i
	}
	s.layouts[key] = l
	return l, nil
}

// index returns the number of a name, which is added where it is new.
func (l *layout) index(list *[]string, name string) int {
	i := slices.Index(*list, name)
	if i < 0 {
		i = len(*list)
		*list = append(*list, name)
		l.dirty = true
	}
	return i
}

// most of what one byte can number.
const mostNumbered = 255

// encode returns an item's figures, nil where it has more than fit.
func (l *layout) encode(r *itemRow, findings []check.FindingJSON) []byte {
	route := l.index(&l.names.Routes, r.Route)
	places := make([]int, len(findings))
	for i := range findings {
		f := &findings[i]
		places[i] = l.index(&l.names.Checks, f.Check)
		var fresh []string
		for name := range f.Readings {
			if _, ok := l.at[FigureOf{Check: places[i], Name: name}]; !ok {
				fresh = append(fresh, name)
			}
		}
		slices.Sort(fresh)
		for _, name := range fresh {
			l.at[FigureOf{Check: places[i], Name: name}] = len(l.names.Columns)
			l.names.Columns = append(l.names.Columns, FigureOf{places[i], name, f.Readings[name].Unit})
			l.dirty = true
		}
	}
	if len(l.names.Checks) > mostNumbered || route > mostNumbered {
		return nil
	}
	head := 3 + len(l.names.Checks)
	data := make([]byte, head+8*len(l.names.Columns))
	if r.Fault != "" {
		data[0] |= flagFault
	}
	data[1], data[2] = byte(route), byte(len(l.names.Checks))
	for i := range l.names.Columns {
		binary.LittleEndian.PutUint64(data[head+8*i:], math.Float64bits(math.NaN()))
	}
	for i := range findings {
		f := &findings[i]
		o := byte(f.Outcome)
		if f.Itself {
			o |= outcomeItself
		}
		data[3+places[i]] = o
		for name, v := range f.Readings {
			binary.LittleEndian.PutUint64(data[head+8*l.at[FigureOf{Check: places[i], Name: name}]:], math.Float64bits(v.Value))
		}
	}
	return data
}

// figures writes those of items that have their numbers. Where the transaction fails, the layouts
// must be forgotten: see written.
func (s *Store) figures(tx *gorm.DB, items []itemRow, findings [][]check.FindingJSON) error {
	if s.layouts == nil {
		s.layouts = map[[2]string]*layout{}
	}
	values := make([]any, 0, 4*len(items))
	for i := range items {
		r := &items[i]
		if r.Challenge != 0 || r.Revision == "" {
			continue // a test piece is no production
		}
		l, err := s.layoutOf(tx, r)
		if err != nil {
			return err
		}
		if data := l.encode(r, findings[i]); data != nil {
			values = append(values, l.row.ID, r.ID, r.Shift, data)
		}
	}
	for _, l := range s.layouts {
		if !l.dirty {
			continue
		}
		names, err := json.Marshal(l.names)
		if err != nil {
			return err
		}
		if err := tx.Model(&layoutRow{}).Where("id = ?", l.row.ID).Update("names", names).Error; err != nil {
			return err
		}
		l.dirty = false
	}
	for part := range slices.Chunk(values, 4*countsAtOnce) {
		rows := strings.Repeat(", (?, ?, ?, ?)", len(part)/4)[2:]
		if err := tx.Exec("INSERT INTO figures (layout, item, shift, data) VALUES "+rows, part...).Error; err != nil {
			return err
		}
	}
	return nil
}

// written makes what a transaction has added known, or forgets it where that failed: the layouts are
// read anew then, for what was added to them is not on disk.
func (s *Store) written(n fresh, err error) error {
	if err != nil {
		s.layouts = nil
		return err
	}
	n.committed()
	return nil
}

// FigureFilter chooses figures: those of a product and role, in a span of shifts.
type FigureFilter struct {
	Product, Role string
	// Station is empty for all of them.
	Station string
	// Shifts that overlap the span are taken whole; zero times do not bound.
	From, Until time.Time
}

// Figures hands over the figures of the production of a recipe, layout by layout, each in the order
// of its items, until each says no.
func (s *Store) Figures(f FigureFilter, each func(l *Layout, x Figures) bool) error {
	rows, err := s.layoutsOf(Filter{Product: f.Product, Role: f.Role, Station: f.Station})
	if err != nil {
		return err
	}
	within, lo, hi, err := s.span(f.From, f.Until)
	if err != nil {
		return err
	}
	raw, err := s.read.DB()
	if err != nil {
		return err
	}
	for _, r := range rows {
		names, err := r.names()
		if err != nil {
			return err
		}
		l := &Layout{Station: r.Station, Line: r.Line, Product: r.Product, Role: r.Role, Revision: r.Revision, Checks: names.Checks, Columns: names.Columns, Routes: names.Routes}
		if more, err := figuresOf(raw, l, r.ID, lo, hi, within, each); err != nil || !more {
			return err
		}
	}
	return nil
}

// layoutsOf returns the layouts of the items that a filter may let through.
func (s *Store) layoutsOf(f Filter) (rows []layoutRow, err error) {
	q := s.read
	for column, v := range map[string]string{"station": f.Station, "line": f.Line, "product": f.Product, "role": f.Role, "revision": f.Revision} {
		if v != "" {
			q = q.Where(column+" = ?", v)
		}
	}
	err = q.Order("id").Find(&rows).Error
	return rows, err
}

// span returns the shifts that overlap a span of time, nil for all, and between which numbers
// their items lie.
func (s *Store) span(from, until time.Time) (within map[int64]bool, lo, hi int64, err error) {
	hi = math.MaxInt64
	if from.IsZero() && until.IsZero() {
		return nil, 0, hi, nil
	}
	if until.IsZero() {
		until = time.UnixMilli(math.MaxInt64)
	}
	within = map[int64]bool{}
	var ids []int64
	s.words.RLock()
	for id, x := range s.known.shift {
		if x.Ended > from.UnixMilli() && x.Begun < until.UnixMilli() {
			within[id] = true
			ids = append(ids, id)
		}
	}
	s.words.RUnlock()
	// The numbers of items go up with time: the first shift has the least, the last the most.
	err = s.read.Raw("SELECT COALESCE(MIN(id), 0), COALESCE(MAX(id), -1) FROM (SELECT (SELECT MIN(id) FROM items WHERE shift = s.id) AS id FROM shifts s WHERE s.id IN ? UNION ALL SELECT (SELECT MAX(id) FROM items WHERE shift = s.id) FROM shifts s WHERE s.id IN ?)", ids, ids).Row().Scan(&lo, &hi)
	return within, lo, hi, err
}

func figuresOf(db *sql.DB, l *Layout, id, lo, hi int64, within map[int64]bool, each func(l *Layout, x Figures) bool) (more bool, err error) {
	rows, err := db.Query("SELECT item, shift, data FROM figures WHERE layout = ? AND item BETWEEN ? AND ?", id, lo, hi)
	if err != nil {
		return false, err
	}
	defer rows.Close()
	var item, shift int64
	var data sql.RawBytes
	for rows.Next() {
		if err := rows.Scan(&item, &shift, &data); err != nil {
			return false, err
		}
		if within != nil && !within[shift] || len(data) < 3 || len(data) < 3+int(data[2]) {
			continue
		}
		if !each(l, Figures{ID(item), data}) {
			return false, nil
		}
	}
	return true, rows.Err()
}
