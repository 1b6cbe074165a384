package store

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/shift"
	"ricetta/internal/station"
)

func TestMain(m *testing.M) {
	// GORM's cache of prepared statements keeps a goroutine that has no way to stop.
	goleak.VerifyTestMain(m, goleak.IgnoreAnyFunction("gorm.io/gorm/internal/lru.NewLRU[...].func1"))
}

var noon = time.Date(2026, 3, 2, 12, 30, 0, 0, time.UTC)

func opened(t testing.TB, o Options) *Store {
	if o.Dir == "" {
		o.Dir = t.TempDir()
	}
	s, err := Open(o)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// picture is a picture that does not compress: every seed gives another one.
func picture(seed int) raster.Picture {
	g := raster.NewGray(100, 100)
	v := uint32(seed + 1)
	for i := range g.Pix {
		v = v*1664525 + 1013904223
		g.Pix[i] = uint8(v >> 24)
	}
	return raster.Picture{Gray: g}
}

func item(seq int64, route string) *station.Item {
	it := &station.Item{
		Station: "s1", Line: "l1", Role: "top", Seq: seq, Time: noon.Add(time.Duration(seq) * time.Second), Count: seq * 100,
		Product: "tin", Revision: "sha256:abc", Route: route, Took: 3 * time.Millisecond, Delay: 9 * time.Millisecond,
		Findings: []check.FindingJSON{{
			Check: "tips", Kind: "count.spots", Outcome: check.OK, Sentence: "12 spots",
			Readings: map[string]check.ReadingJSON{"count": {Value: 12}}, Texts: map[string]string{},
			Marks: []check.MarkJSON{{Shape: check.Cross, Role: check.RoleFound, Points: [][2]float64{{1, 2}}}},
		}},
		Picture: picture(int(seq)),
	}
	if route != recipe.Pass {
		it.Reason, it.Sentence = "tips", "tips: 11 spots, 12 expected"
	}
	return it
}

// record hands items over and waits until all are answered.
func record(t testing.TB, s *Store, items ...*station.Item) []error {
	var wg sync.WaitGroup
	errs := make([]error, len(items))
	for i, it := range items {
		wg.Add(1)
		for {
			answered := make(chan error, 1)
			s.Record(it, func(err error) { answered <- err })
			if errs[i] = <-answered; errs[i] != ErrBusy {
				break
			}
		}
		wg.Done()
	}
	wg.Wait()
	return errs
}

func TestRecordedItemsComeBack(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir, PassShare: -1})
	for _, err := range record(t, s, item(1, recipe.Pass), item(2, recipe.Reject)) {
		require.NoError(t, err)
	}
	s.Close()
	s = opened(t, Options{Dir: dir})
	seq, err := s.LastSeq("s1")
	require.NoError(t, err)
	assert.EqualValues(t, 2, seq)
	got, err := s.ItemOf("s1", 2)
	require.NoError(t, err)
	want := item(2, recipe.Reject)
	want.Picture = raster.Picture{}
	assert.Equal(t, *want, got.Item)
	data, err := s.Picture(got.PictureHash)
	require.NoError(t, err)
	pic, err := raster.Decode(data, ".png", raster.DefaultDecodeLimits)
	require.NoError(t, err)
	assert.Equal(t, picture(2).Gray.Pix, pic.Gray.Pix, "the picture is kept to the last bit")
	passed, err := s.ItemOf("s1", 1)
	require.NoError(t, err)
	assert.Empty(t, passed.PictureHash)
	assert.Empty(t, passed.Findings[0].Marks, "marks are kept with the picture only")
	_, err = s.Item(99)
	assert.ErrorIs(t, err, ErrNoItem)
	for _, bad := range []string{"", "../../etc/passwd", "zz"} {
		_, err = s.Picture(bad)
		assert.ErrorIs(t, err, ErrNoPicture)
	}
}

func TestItemsAreFilteredAndPaged(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	for seq := int64(1); seq <= 25; seq++ {
		route := recipe.Pass
		if seq%5 == 0 {
			route = recipe.Reject
		}
		it := item(seq, route)
		it.Picture = raster.Picture{}
		if seq == 25 {
			it.Fault = station.Late
		}
		require.NoError(t, record(t, s, it)[0])
	}
	first, err := s.Items(Filter{}, 10)
	require.NoError(t, err)
	require.Len(t, first, 10)
	assert.EqualValues(t, 25, first[0].Seq, "newest first")
	next, err := s.Items(Filter{Before: first[9].ID}, 10)
	require.NoError(t, err)
	assert.EqualValues(t, 15, next[0].Seq)
	count := func(f Filter) int {
		items, err := s.Items(f, 100)
		require.NoError(t, err)
		return len(items)
	}
	assert.Equal(t, 5, count(Filter{NotPassed: true}))
	assert.Equal(t, 5, count(Filter{Reason: "tips"}))
	assert.Equal(t, 1, count(Filter{Faults: true}))
	assert.Equal(t, 20, count(Filter{Route: recipe.Pass}))
	assert.Equal(t, 0, count(Filter{Station: "s2"}))
	assert.Equal(t, 10, count(Filter{From: noon.Add(11 * time.Second), Until: noon.Add(21 * time.Second)}))
}

// Tallies say the same as counting the items would.
func TestTalliesAgreeWithTheItems(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	for seq := int64(1); seq <= 120; seq++ {
		it := item(seq, []string{recipe.Pass, recipe.Reject, recipe.Rework, recipe.Pass}[seq%4])
		it.Time = noon.Add(time.Duration(seq) * 2 * time.Minute)
		it.Picture = raster.Picture{}
		require.NoError(t, record(t, s, it)[0])
	}
	for _, by := range [][]string{{}, {"route"}, {"hour", "route"}, {"reason"}, {"station", "product", "revision", "fault"}} {
		tallies, err := s.Tallies(Filter{}, by)
		require.NoError(t, err)
		sum := int64(0)
		for _, x := range tallies {
			sum += x.Count
			f := Filter{Route: x.Key["route"]}
			if h := x.Key["hour"]; h != "" {
				f.From, _ = time.Parse(time.RFC3339, h)
				f.Until = f.From.Add(time.Hour)
			}
			if _, ok := x.Key["reason"]; ok && x.Key["reason"] != "" {
				f.Reason = x.Key["reason"]
			} else if ok {
				f.Route = recipe.Pass
			}
			items, err := s.Items(f, 1000)
			require.NoError(t, err)
			assert.EqualValues(t, len(items), x.Count, "%v", x.Key)
		}
		assert.EqualValues(t, 120, sum, "%v", by)
	}
	_, err := s.Tallies(Filter{}, []string{"n; DROP TABLE items"})
	assert.ErrorContains(t, err, "items are not counted by")
}

func TestAnItemIsKeptOnce(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	require.NoError(t, record(t, s, item(1, recipe.Pass))[0])
	assert.Error(t, record(t, s, item(1, recipe.Pass))[0], "the same item again")
	tallies, err := s.Tallies(Filter{}, nil)
	require.NoError(t, err)
	assert.EqualValues(t, 1, tallies[0].Count, "nor is it counted again")
}

// One bad row does not take the rest of its group with it.
func TestAGroupIsSavedFromItsBadRow(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	require.NoError(t, record(t, s, item(3, recipe.Pass))[0])
	var batch []row
	var mu sync.Mutex
	got := map[int64]error{}
	for _, seq := range []int64{2, 3, 4} {
		r, err := s.rowOf(item(seq, recipe.Pass))
		require.NoError(t, err)
		batch = append(batch, row{item: &r, done: func(err error) { mu.Lock(); got[seq] = err; mu.Unlock() }})
	}
	s.commit(batch)
	assert.NoError(t, got[2])
	assert.Error(t, got[3])
	assert.NoError(t, got[4])
}

// A full disk is said, and nothing is half written; when there is room again, work
// goes on.
func TestAFullDiskIsToldAndOvercome(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	require.NoError(t, record(t, s, item(1, recipe.Pass))[0])
	var pages int
	require.NoError(t, s.write.Raw("PRAGMA page_count").Scan(&pages).Error)
	var was int
	require.NoError(t, s.write.Raw(fmt.Sprintf("PRAGMA max_page_count = %d", pages)).Scan(&was).Error)
	var failed error
	last := int64(1)
	for seq := int64(2); seq < 200 && failed == nil; seq++ {
		it := item(seq, recipe.Pass)
		it.Sentence = string(make([]byte, 3000))
		if failed = record(t, s, it)[0]; failed == nil {
			last = seq
		}
	}
	require.Error(t, failed)
	assert.Contains(t, failed.Error(), "full")
	tallies, err := s.Tallies(Filter{}, nil)
	require.NoError(t, err)
	assert.EqualValues(t, last, tallies[0].Count, "what failed is not counted")
	require.NoError(t, s.write.Raw("PRAGMA max_page_count = 1000000").Scan(&was).Error)
	assert.NoError(t, record(t, s, item(500, recipe.Pass))[0])
}

func folderBytes(t *testing.T, dir string) (n int64, files int) {
	require.NoError(t, filepath.Walk(dir, func(_ string, info os.FileInfo, err error) error {
		if err == nil && !info.IsDir() {
			n += info.Size()
			files++
		}
		return err
	}))
	return n, files
}

// kept waits until the picture of an item is: it follows the record.
func kept(t *testing.T, s *Store, seq int64) Kept {
	t.Helper()
	var k Kept
	require.Eventually(t, func() bool {
		var err error
		k, err = s.ItemOf("s1", seq)
		return err == nil && k.PictureHash != ""
	}, 5*time.Second, time.Millisecond)
	return k
}

func TestPicturesKeepToTheirLimit(t *testing.T) {
	dir := t.TempDir()
	const limit = 60_000 // five pictures of 10 kB and a bit
	s := opened(t, Options{Dir: dir, PictureLimit: limit, PassShare: 10})
	for seq := int64(1); seq <= 20; seq++ {
		require.NoError(t, record(t, s, item(seq, recipe.Reject))[0])
		kept(t, s, seq)
		n, _ := folderBytes(t, filepath.Join(dir, "pictures"))
		require.LessOrEqual(t, n, int64(limit))
		require.Equal(t, n, s.PictureBytes())
	}
	_, files := folderBytes(t, filepath.Join(dir, "pictures"))
	assert.Equal(t, 5, files)
	old, err := s.ItemOf("s1", 1)
	require.NoError(t, err)
	_, err = s.Picture(old.PictureHash)
	assert.ErrorIs(t, err, ErrNoPicture, "the oldest went first")
	newest, err := s.ItemOf("s1", 20)
	require.NoError(t, err)
	_, err = s.Picture(newest.PictureHash)
	assert.NoError(t, err)
	require.NoError(t, record(t, s, item(30, recipe.Pass), item(31, recipe.Pass))[0])
	p30 := kept(t, s, 30)
	p31, _ := s.ItemOf("s1", 31)
	assert.NotEmpty(t, p30.PictureHash, "one passed item in ten keeps its picture")
	assert.Empty(t, p31.PictureHash)
}

// After a crash, files and table may differ; opening brings them together.
func TestOpeningReconcilesPictures(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir})
	require.NoError(t, record(t, s, item(1, recipe.Reject))[0])
	require.NoError(t, record(t, s, item(2, recipe.Reject))[0])
	one, two := kept(t, s, 1), kept(t, s, 2)
	s.Close()
	require.NoError(t, os.Remove(s.pictures.path(one.PictureHash)))
	stray := filepath.Join(dir, "pictures", "ab", ".new-123")
	require.NoError(t, os.MkdirAll(filepath.Dir(stray), 0o750))
	require.NoError(t, os.WriteFile(stray, []byte("half"), 0o600))
	s = opened(t, Options{Dir: dir})
	n, files := folderBytes(t, filepath.Join(dir, "pictures"))
	assert.Equal(t, 1, files)
	assert.Equal(t, n, s.PictureBytes())
	_, err := s.Picture(one.PictureHash)
	assert.ErrorIs(t, err, ErrNoPicture)
	_, err = s.Picture(two.PictureHash)
	assert.NoError(t, err)
}

func TestAPictureThatCannotBeKeptDoesNotCostTheItem(t *testing.T) {
	s := opened(t, Options{PictureLimit: 100})
	require.NoError(t, record(t, s, item(1, recipe.Reject))[0])
	it, err := s.ItemOf("s1", 1)
	require.NoError(t, err)
	assert.Empty(t, it.PictureHash)
}

func TestRecordsOfANewerProgramAreRefused(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir})
	require.NoError(t, s.write.Exec("INSERT INTO migrations (id) VALUES ('9999-later')").Error)
	s.Close()
	_, err := Open(Options{Dir: dir})
	assert.ErrorContains(t, err, "written by a newer Ricetta (they have 9999-later)")
}

func TestABrokenFileIsSaid(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ricetta.db"), make([]byte, 8192), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ricetta.db"), []byte("this is no database at all, but long enough to look at"), 0o600))
	_, err := Open(Options{Dir: dir})
	assert.ErrorContains(t, err, "ricetta.db")
}

func TestClosedRecordsRefuse(t *testing.T) {
	s := opened(t, Options{})
	s.Close()
	assert.ErrorIs(t, record(t, s, item(1, recipe.Pass))[0], ErrClosed)
}

// The schema as it stands, for people and for the next migration. Run with UPDATE=1
// to renew it.
func TestSchemaIsWrittenDown(t *testing.T) {
	s := opened(t, Options{})
	var rows []string
	require.NoError(t, s.read.Raw("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY type DESC, name").Scan(&rows).Error)
	got := ""
	for _, r := range rows {
		got += r + ";\n"
	}
	path := filepath.Join("testdata", "schema.sql")
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), got)
}

// Packages, runs and what was on the belt when the power failed.
func TestRunsAndPackages(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(Options{Dir: dir, PassShare: -1})
	require.NoError(t, err)
	at := time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)
	_, ok, err := s.CurrentRun("l1")
	require.NoError(t, err)
	assert.False(t, ok)
	one, err := s.BeginRun(line.Run{Line: "l1", Product: "a", Order: check.Order{"lot": "L1"}, By: "test", Begin: at})
	require.NoError(t, err)
	other, err := s.BeginRun(line.Run{Line: "l2", Product: "a", Begin: at})
	require.NoError(t, err)
	put := func(lineID string, seq, run int64, route string, fault station.Fault) error {
		told := make(chan error, 1)
		s.RecordPackage(&line.Package{Line: lineID, Seq: seq, Run: run, Time: at, Product: "a", Route: route, Fault: fault, Station: "top", Sentence: "so"}, func(err error) { told <- err })
		return <-told
	}
	require.NoError(t, put("l1", 1, one, recipe.Pass, ""))
	require.NoError(t, put("l1", 2, one, recipe.Reject, station.Late))
	require.NoError(t, put("l2", 1, other, recipe.Reject, ""))
	require.Error(t, put("l1", 2, one, recipe.Pass, ""), "a package is counted once")
	two, err := s.BeginRun(line.Run{Line: "l1", Product: "b", Who: "Ada", Begin: at.Add(time.Hour)})
	require.NoError(t, err)
	require.NoError(t, put("l1", 3, one, recipe.Pass, ""), "it came before the changeover")
	for _, seq := range []int64{3, 4, 5} {
		it := item(seq, recipe.Pass)
		it.Station, it.Line, it.Run = "top", "l1", two
		require.NoError(t, record(t, s, it)[0])
	}
	s.Close()

	s = opened(t, Options{Dir: dir})
	run, ok, err := s.CurrentRun("l1")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, line.Run{ID: two, Line: "l1", Product: "b", Who: "Ada", Begin: at.Add(time.Hour)}, run)
	runs, err := s.Runs("l1", 0, 10)
	require.NoError(t, err)
	require.Len(t, runs, 2)
	assert.Equal(t, at.Add(time.Hour), runs[1].End, "a run ends where the next begins")
	assert.Equal(t, check.Order{"lot": "L1"}, runs[1].Order)
	assert.Equal(t, line.Counters{Packages: 3, Routes: map[string]int64{recipe.Pass: 2, recipe.Reject: 1}, Faults: 1}, runs[1].Counters)
	runs, err = s.Runs("", two, 10)
	require.NoError(t, err)
	require.Len(t, runs, 2)
	assert.Equal(t, other, runs[0].ID, "lists go on where they were")
	left, err := s.LeftOver("l1")
	require.NoError(t, err)
	require.Len(t, left, 2)
	assert.EqualValues(t, 4, left[0].Seq)
	assert.Equal(t, two, left[0].Run)
	last, err := s.LastPackage("l1")
	require.NoError(t, err)
	assert.EqualValues(t, 3, last)
	p, err := s.PackageOf("l1", 2)
	require.NoError(t, err)
	assert.Equal(t, station.Late, p.Fault)
	_, err = s.PackageOf("l1", 9)
	assert.ErrorIs(t, err, ErrNoItem)
}

// Tallies know shifts, runs and lots; counted anew they are the same; what is broken is found.
func TestTalliesAreTheItemsAndCanBeRebuilt(t *testing.T) {
	plan, err := shift.New(shift.Config{Zone: "Europe/Rome", Calendars: []shift.Calendar{{From: "2026-01-01", Pattern: shift.Three}}})
	require.NoError(t, err)
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir, PassShare: -1, Calendar: plan})
	run, err := s.BeginRun(line.Run{Line: "line1", Product: "card", Order: check.Order{"lot": "L7"}, Begin: time.Now()})
	require.NoError(t, err)
	begin := time.Date(2026, 10, 24, 19, 0, 0, 0, time.UTC) // the evening before the clocks change
	rng := rand.New(rand.NewPCG(4, 2))
	var all []*station.Item
	for seq := int64(1); seq <= 3000; seq++ {
		route := recipe.Pass
		if rng.IntN(10) == 0 {
			route = recipe.Reject
		}
		it := item(seq, route)
		it.Time = begin.Add(time.Duration(seq) * 20 * time.Second)
		it.Run, it.Line, it.Reason, it.Picture = run, "line1", "", raster.Picture{}
		if route == recipe.Reject {
			it.Reason = []string{"tips", "lid"}[rng.IntN(2)]
		}
		if seq%100 == 0 {
			it.Challenge = 3
		}
		all = append(all, it)
	}
	var wg sync.WaitGroup
	room := make(chan struct{}, 40) // many at a time, as stations do, and no more than it has room for
	for _, it := range all {
		room <- struct{}{}
		wg.Add(1)
		s.Record(it, func(err error) { assert.NoError(t, err); <-room; wg.Done() })
	}
	wg.Wait()
	differs, err := s.CheckTallies()
	require.NoError(t, err)
	assert.Empty(t, differs)
	dump := func() string {
		list, err := s.Tallies(Filter{}, Groups)
		require.NoError(t, err)
		return fmt.Sprint(list)
	}
	before := dump()
	n, err := s.RebuildTallies(nil)
	require.NoError(t, err)
	assert.EqualValues(t, 3000, n)
	assert.Equal(t, before, dump(), "counted anew they are the same")

	night, err := s.Tallies(Filter{Shift: "2026-10-24/night"}, nil)
	require.NoError(t, err)
	assert.EqualValues(t, 9*180-16, night[0].Count, "a night of nine hours, without its test pieces")
	byLot, err := s.Tallies(Filter{Lot: "L7"}, []string{"lot", "day"})
	require.NoError(t, err)
	assert.Equal(t, "L7", byLot[0].Key["lot"])
	assert.Equal(t, "2026-10-24", byLot[0].Key["day"], "a night belongs to the day on which it began")
	weeks, err := s.Tallies(Filter{NotPassed: true}, []string{"week"})
	require.NoError(t, err)
	assert.Equal(t, "2026-W43", weeks[0].Key["week"])
	items, err := s.Items(Filter{Shift: "2026-10-24/night", NotPassed: true, Lot: "L7"}, 5000)
	require.NoError(t, err)
	rejected, err := s.Tallies(Filter{Shift: "2026-10-24/night", NotPassed: true}, nil)
	require.NoError(t, err)
	pieces := 0
	for _, it := range items {
		if it.Seq%100 == 0 {
			pieces++
		}
	}
	assert.EqualValues(t, len(items)-pieces, rejected[0].Count, "behind every bar are its items")

	require.NoError(t, s.write.Exec("UPDATE counts SET n = n + 1 WHERE facet = 1").Error)
	differs, err = s.CheckTallies()
	require.NoError(t, err)
	require.NotEmpty(t, differs)
	assert.Contains(t, differs[0], "are counted")
	_, err = s.RebuildTallies(nil)
	require.NoError(t, err)
	assert.Equal(t, before, dump())
	s.Close()

	// Another calendar from now on moves nothing that is on record.
	two, err := shift.New(shift.Config{Zone: "Europe/Rome", Calendars: []shift.Calendar{{From: "2026-01-01", Pattern: shift.Two}}})
	require.NoError(t, err)
	s = opened(t, Options{Dir: dir, PassShare: -1, Calendar: two})
	_, err = s.RebuildTallies(nil)
	require.NoError(t, err)
	assert.Equal(t, before, dump())
}
