package textline

import (
	"bufio"
	"errors"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ricetta/core/check"
	"ricetta/internal/links/testhall"
	"ricetta/internal/station"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// peer is the other side, as netcat would be.
type peer struct {
	t *testing.T
	net.Conn
	r *bufio.Reader
}

func dial(t *testing.T, s *Server) *peer {
	c, err := net.Dial("tcp", s.Addr())
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	return &peer{t, c, bufio.NewReader(c)}
}

func (p *peer) hears() string {
	p.t.Helper()
	require.NoError(p.t, p.SetReadDeadline(time.Now().Add(5*time.Second)))
	text, err := p.r.ReadString('\n')
	require.NoError(p.t, err)
	return strings.TrimSuffix(text, "\r\n")
}

func (p *peer) asks(text string) string {
	p.t.Helper()
	_, err := p.Write([]byte(text + "\n"))
	require.NoError(p.t, err)
	return p.hears()
}

func open(t *testing.T, c Config, l *testhall.Hall) *Server {
	c.Listen = "127.0.0.1:0"
	s, err := Open(c, l, l.Tags(t), time.Now)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

func TestCommandsAreAnswered(t *testing.T) {
	l := testhall.New()
	p := dial(t, open(t, Config{}, l))
	for _, tc := range [][2]string{
		{"lines", "ok line1"},
		{"state line1", `ok state=held product=pencil-tin-12 run=3 packages=12 pass=10 rework=0 reject=2 faults=1 underway=4 lot="L 47" why="item 3 was not seen leaving; look at ""it"""`},
		{"STATE line1\r", `ok state=held product=pencil-tin-12 run=3 packages=12 pass=10 rework=0 reject=2 faults=1 underway=4 lot="L 47" why="item 3 was not seen leaving; look at ""it"""`},
		{"state line9", "no there is no line line9; there are line1"},
		{`change line1 glue-stick-20 "lot=L 4711" expiry=2027-12-31`, "ok run=7 product=glue-stick-20"},
		{"change line1", "no write change LINE PRODUCT [NAME=VALUE …]"},
		{"change line1 x lot", `no "lot" is not NAME=VALUE, as in lot=L4711`},
		{"trigger line1", "ok"},
		{"tags", "ok rejected tips tips-least lot last"},
		{"get tips-least tips rejected", "ok tips-least=12 tips=- rejected=-"},
		{"get tip", "no there is no tag tip"},
		{"set tips 3", "no tag tips may not be written; give it write bounds in site.yaml"},
		{"set tips-least 9", "no 9 is out of bounds for tips-least; it may be 10 to 12"},
		{"set tips-least eleven", `no "eleven" is not a number`},
		{"set tips-least 11", "ok tips-least=11"},
		{"acknowledge 4 Ada", "ok"},
		{"acknowledge x Ada", `no "x" is not the number of an alarm`},
		{"dance", "no there is no command dance; there are acknowledge NUMBER NAME; bye; change LINE PRODUCT [NAME=VALUE …]; get TAG [TAG …]; lines; quiet; set TAG VALUE; start LINE [cleared]; state LINE; stop LINE; tags; trigger LINE; watch [STATION]"},
		{`state "line1`, "no a quote is not closed"},
		{"start line1 now", "no write start LINE, or start LINE cleared"},
	} {
		assert.Equal(t, tc[1], p.asks(tc[0]), tc[0])
	}
	assert.Contains(t, p.asks("start line1 cleared"), "ok state=held")
	assert.Contains(t, p.asks("stop line1"), "ok state=held")
	assert.Equal(t, []string{"change line1 glue-stick-20 map[expiry:2027-12-31 lot:L 4711] by text line", "trigger line1", "limit line1-top tips.count.least 11", "acknowledge 4 Ada", "start line1 true", "stop line1"}, l.Asked())
	l.Fail(errors.New("station line1-top cannot judge x:\nnothing is released"))
	assert.Equal(t, "no station line1-top cannot judge x:; nothing is released", p.asks("change line1 x"), "one line, whatever went wrong")
	assert.Equal(t, "ok", p.asks("bye"))
	_, err := p.r.ReadByte()
	assert.Error(t, err)
}

func item(seq int64, stationID string) *station.Item {
	return &station.Item{
		Station: stationID, Line: "line1", Seq: seq, Route: "reject", Reason: "tips", Sentence: "tips: 11 spots, 12 expected", Order: check.Order{"lot": "L1"},
		Findings: []check.FindingJSON{{Check: "tips", Readings: map[string]check.ReadingJSON{"count": {Value: 11}}, Texts: map[string]string{"t": "x\ny"}}},
	}
}

func TestItemsAreToldToThoseWhoWatch(t *testing.T) {
	s := open(t, Config{}, testhall.New())
	all, one, none := dial(t, s), dial(t, s), dial(t, s)
	assert.Equal(t, "ok", all.asks("watch"))
	assert.Equal(t, "ok", one.asks("watch line1-side"))
	assert.Equal(t, "ok line1", none.asks("lines"))
	s.Item(item(1, "line1-top"))
	s.Item(item(1, "line1-side"))
	assert.Equal(t, `item line1-top 1 reject tips "tips: 11 spots, 12 expected"`, all.hears())
	assert.Equal(t, `item line1-side 1 reject tips "tips: 11 spots, 12 expected"`, all.hears())
	assert.Equal(t, `item line1-side 1 reject tips "tips: 11 spots, 12 expected"`, one.hears())
	assert.Equal(t, "ok", all.asks("quiet"))
	s.Item(item(2, "line1-top"))
	assert.Equal(t, "ok line1", all.asks("lines"), "it said to be quiet")
	st := s.State()
	assert.Equal(t, 3, st.Peers)
	assert.EqualValues(t, len(st.Messages), st.Count)
	assert.Equal(t, "watch", st.Messages[0].Text)
	assert.False(t, st.Messages[0].Out)
}

func TestMessagesAreComposedAsTheSiteSays(t *testing.T) {
	s := open(t, Config{Message: `text(seq) + ";" + route + ";" + text(readings["tips.count"]) + ";" + texts["tips.t"] + ";" + order["lot"]`}, testhall.New())
	p := dial(t, s)
	assert.Equal(t, "ok", p.asks("watch"))
	s.Item(item(5, "line1-top"))
	assert.Equal(t, "5;reject;11;x y;L1", p.hears(), "no line of it is broken in two")
	bare := item(6, "line1-top")
	bare.Findings = nil
	s.Item(bare)
	assert.Contains(t, p.hears(), "the message could not be composed", "the item is told all the same")
	assert.Contains(t, s.State().Trouble, "about item 6")
	_, err := Open(Config{Listen: "127.0.0.1:0", Message: "rout"}, testhall.New(), testhall.New().Tags(t), time.Now)
	assert.ErrorContains(t, err, "undeclared reference")
	_, err = Open(Config{Listen: s.Addr()}, testhall.New(), testhall.New().Tags(t), time.Now)
	assert.ErrorContains(t, err, "choose another address under links")
}

// Who reads nothing is cut off and holds nobody up; lines without an end and too many
// connections are refused.
func TestBadPeersHoldNobodyUp(t *testing.T) {
	s := open(t, Config{}, testhall.New())
	lazy, good := dial(t, s), dial(t, s)
	assert.Equal(t, "ok", lazy.asks("watch"))
	assert.Equal(t, "ok", good.asks("watch"))
	long := item(1, "line1-top")
	long.Sentence = strings.Repeat("spots ", 4000)
	begin := time.Now()
	for range behind + 400 {
		s.Item(long)
	}
	assert.Less(t, time.Since(begin), 4*time.Second, "telling waits for nobody")
	require.Eventually(t, func() bool { return s.State().Peers < 2 }, 10*time.Second, 10*time.Millisecond, "the lazy one is cut off")

	long4 := dial(t, s)
	_, err := long4.Write([]byte(strings.Repeat("x", 3*mostLine)))
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("no that line is longer than %d bytes", mostLine), long4.hears())

	var open []*peer
	for range mostConns + 2 {
		open = append(open, dial(t, s))
	}
	assert.Contains(t, open[len(open)-1].hears(), "connections are open already")
}

func FuzzFields(f *testing.F) {
	for _, s := range []string{"", "a b", `a "b c" ""`, `"""x"""`, "\t", `"`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		words, err := fields(s)
		if err != nil {
			return
		}
		var q []string
		for _, w := range words {
			if strings.IndexFunc(w, func(r rune) bool { return r < ' ' || r == 0x7f || r == '\ufffd' }) >= 0 {
				return
			}
			q = append(q, quoted(w))
		}
		again, err := fields(strings.Join(q, " "))
		require.NoError(t, err)
		assert.Equal(t, words, again)
	})
}
