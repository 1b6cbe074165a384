package modbus

import (
	"math"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Input registers of a line.
const (
	irVersion   = 0  // of this map
	irStatus    = 1  // 0 stopped, 1 running, 2 held
	irFlags     = 2  // bits, see flag…
	irAlive     = 3  // counts tenths of seconds as long as the service answers
	irRun       = 4  // and 5
	irPackages  = 6  // and 7; counters of the run, each two registers
	irPassed    = 8  //
	irRework    = 10 //
	irRejected  = 12 // by reject, and any route that is not named here
	irFaults    = 14 //
	irNotSeen   = 16 // not confirmed
	irAlarms    = 18 // that wait for somebody
	irUnderway  = 19 // packages between trigger and last ejector
	irResult    = 20 // counts the results, 0…65535 and round: when it changes, the next ones are new
	irSeq       = 21 // and 22: number of that package
	irRoute     = 23 // where it went, see links.RouteCode
	irFault     = 24 // 1: it was a fault
	irProduct   = 30 // 16 registers: UTF-8, zeros behind
	irLot       = 50 // 16 registers
	irAnswer    = 70 // 0 none yet, 1 working, 2 done, 3 refused
	irAnswerTo  = 71 // the request that it answers
	irAnswerSay = 72 // 32 registers: why it was refused
	irEnd       = 104

	mapVersion = 1
)

// Bits of irFlags, and the discrete inputs from 0.
const (
	flagRunning = iota
	flagHeld
	flagAlarm
	flagChallengeDue
	flagChallenge // one goes on
	flagSetup
	flagRejected // the last package did not pass
	flagFault    // it was a fault
	flagEnd
)

// Holding registers of a line: what is asked for. Writing hrRequest does it.
const (
	hrCommand  = 0  // see command…
	hrRequest  = 1  // any number but the one before
	hrProduct  = 2  // number of the product, from 1, among products; 0: by text
	hrText     = 10 // 16 registers: code of the product
	hrLot      = 30 // 16 registers
	hrExpiry   = 50 // 5 registers, as in 2027-12-31
	hrQuantity = 56 // and 57
	hrEnd      = 58
)

// The commands.
const (
	commandChange = iota + 1
	commandStart
	commandStartCleared
	commandStop
	commandTrigger
)

// Where tags begin.
const tagsFrom = 1000

// words writes numbers and texts into registers.
type words struct {
	regs []uint16
	low  bool // the low word comes first
}

func (w words) u32(at int, v uint32) {
	hi, lo := uint16(v>>16), uint16(v)
	if w.low {
		hi, lo = lo, hi
	}
	w.regs[at], w.regs[at+1] = hi, lo
}

func (w words) read32(at int) uint32 {
	hi, lo := w.regs[at], w.regs[at+1]
	if w.low {
		hi, lo = lo, hi
	}
	return uint32(hi)<<16 | uint32(lo)
}

// count writes a counter; one that is too large stays at the greatest.
func (w words) count(at int, v int64) { w.u32(at, uint32(min(max(v, 0), math.MaxUint32))) }

// text writes UTF-8, two bytes a register, the first one high, zeros behind; what is too long is
// cut before a whole character.
func (w words) text(at, n int, s string) {
	for len(s) > 2*n {
		r := []rune(s)
		s = string(r[:len(r)-1])
	}
	for i := range n {
		var v uint16
		if 2*i < len(s) {
			v = uint16(s[2*i]) << 8
		}
		if 2*i+1 < len(s) {
			v |= uint16(s[2*i+1])
		}
		w.regs[at+i] = v
	}
}

func (w words) readText(at, n int) string {
	var b []byte
	for _, v := range w.regs[at : at+n] {
		for _, c := range []byte{byte(v >> 8), byte(v)} {
			if c == 0 {
				return string(b)
			}
			b = append(b, c)
		}
	}
	return string(b)
}

// tag is the two registers of a tag: what is not there is not a number, or the least one.
func (w words) tag(at int, r links.Register, v links.Value) {
	if r.As == "int32" {
		n := int32(math.MinInt32)
		if v.Valid {
			n = int32(min(max(math.Round(v.Number), math.MinInt32+1), math.MaxInt32))
		}
		w.u32(at, uint32(n))
		return
	}
	f := float32(math.NaN())
	if v.Valid {
		f = float32(v.Number)
	}
	w.u32(at, math.Float32bits(f))
}

// readTag reads what was written to a tag.
func (w words) readTag(at int, r links.Register) float64 {
	n := w.read32(at)
	if r.As == "int32" {
		return float64(int32(n))
	}
	return float64(math.Float32frombits(n))
}

// result is what is told of the last package.
type result struct {
	count uint16
	pack  line.Package
}

// inputs makes the input registers of a line.
func inputs(s line.State, last result, a answer, alarms int, now time.Time, low bool) []uint16 {
	w := words{make([]uint16, irEnd), low}
	w.regs[irVersion] = mapVersion
	switch s.Status {
	case station.Running:
		w.regs[irStatus] = 1
	case station.Held:
		w.regs[irStatus] = 2
	}
	for i, on := range flags(s, last, alarms) {
		if on {
			w.regs[irFlags] |= 1 << i
		}
	}
	w.regs[irAlive] = uint16(now.UnixMilli() / 100)
	w.count(irRun, s.Run.ID)
	n := s.Counters
	w.count(irPackages, n.Packages)
	w.count(irPassed, n.Routes[recipe.Pass])
	w.count(irRework, n.Routes[recipe.Rework])
	w.count(irRejected, n.Packages-n.Routes[recipe.Pass]-n.Routes[recipe.Rework])
	w.count(irFaults, n.Faults)
	w.count(irNotSeen, n.Unconfirmed)
	w.regs[irAlarms] = uint16(min(alarms, math.MaxUint16))
	w.regs[irUnderway] = uint16(min(s.Underway, math.MaxUint16))
	w.regs[irResult] = last.count
	w.count(irSeq, last.pack.Seq)
	w.regs[irRoute] = links.RouteCode(last.pack.Route)
	if last.pack.Fault != "" {
		w.regs[irFault] = 1
	}
	w.text(irProduct, 16, s.Run.Product)
	w.text(irLot, 16, s.Run.Order["lot"])
	w.regs[irAnswer], w.regs[irAnswerTo] = uint16(a.state), a.request
	w.text(irAnswerSay, 32, a.says)
	return w.regs
}

// flags are the bits of irFlags, and the discrete inputs.
func flags(s line.State, last result, alarms int) []bool {
	out := make([]bool, flagEnd)
	out[flagRunning] = s.Status == station.Running
	out[flagHeld] = s.Status == station.Held
	out[flagAlarm] = alarms > 0
	out[flagChallengeDue] = s.Proof.Due
	out[flagChallenge] = s.Challenge != nil && s.Challenge.Result == line.GoesOn
	out[flagSetup] = s.Setup
	out[flagRejected] = last.pack.Seq > 0 && last.pack.Route != recipe.Pass
	out[flagFault] = last.pack.Fault != ""
	return out
}
