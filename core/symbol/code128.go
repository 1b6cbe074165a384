package symbol

// Code 128 after ISO/IEC 15417.

// code128Widths are the widths of the values 0 to 105, bar first.
var code128Widths = func() [106][]int8 {
	const all = "212222222122222221121223121322131222122213122312132212221213221312231212112232122132122231113222123122123221223211221132" +
		"221231213212223112312131311222321122321221312212322112322211212123212321232121111323131123131321112313132113132311211313" +
		"231113231311112133112331132131113123113321133121313121211331231131213113213311213131311123311321331121312113312311332111" +
		"314111221411431111111224111422121124121421141122141221112214112412122114122411142112142211241211221114413111241112134111" +
		"111242121142121241114212124112124211411212421112421211212141214121412121111143111341131141114113114311411113411311113141" +
		"114131311141411131211412211214211232"
	var out [106][]int8
	for v := range out {
		for _, c := range all[6*v : 6*v+6] {
			out[v] = append(out[v], int8(c-'0'))
		}
	}
	return out
}()

var code128Stop = []int8{2, 3, 3, 1, 1, 1, 2}

// The values that are no characters.
const (
	fnc3, fnc2, shift128          = 96, 97, 98
	toC, toB, toA, fnc1           = 99, 100, 101, 102
	startA, startB, startC        = 103, 104, 105
	code128Cost, code128Mean      = 0.75, 0.3
	mostCode128, code128QuietZone = 90, 5
)

// code128 tries a code whose first bar is w[i].
func (r *lineReader) code128(w []int32, i int, pos int32, o *Options) {
	if i+19 >= len(w) {
		return
	}
	module := float64(widthOf(w[i:i+6])) / 11
	if float64(w[i-1]) < code128QuietZone*module || float64(w[i]) < 1.2*module || float64(w[i+1]) > 2.1*module {
		return
	}
	// The bars of a character have an even number of modules together (ISO/IEC 15417,
	// 4.3.2): 4 in the starts of sets A and B, 6 in that of C.
	bars := float64(w[i]+w[i+2]+w[i+4]) / module
	growth := (bars - 4) / 3
	if bars > 5 {
		growth = (bars - 6) / 3
	}
	if growth > 0.55 || growth < -0.55 {
		return
	}
	values := r.digits[:0]
	cost := 0.0
	at := i
	for {
		if at+6 >= len(w) || len(values) > mostCode128 {
			return
		}
		total := float64(widthOf(w[at : at+6]))
		if total < 8.5*module || total > 13.5*module {
			return
		}
		best, second, value := 9.0, 9.0, -1
		from, to := 0, 103
		if at == i {
			from, to = startA, 106
		}
		for v := from; v < to; v++ {
			c := departure(w[at:at+6], code128Widths[v], 11, growth, true)
			if c < best {
				best, second, value = c, best, v
			} else if c < second {
				second = c
			}
		}
		if len(values) >= 3 && at+7 < len(w) {
			if c := departure(w[at:at+7], code128Stop, 13, growth, true); c < best && c < 2*code128Cost {
				break
			}
		}
		if best > code128Cost || second-best < 0.1 {
			return
		}
		values = append(values, byte(value))
		cost += best
		module = float64(module*0.7) + float64(total/11*0.3) // it changes along a slanted code
		at += 6
	}
	r.digits = values
	total := widthOf(w[i : at+7])
	if at+7 >= len(w) || float64(w[at+7]) < code128QuietZone*module {
		return
	}
	n := len(values) - 1 // the last one is the check
	sum := int(values[0])
	for k := 1; k < n; k++ {
		sum += k * int(values[k])
	}
	cost /= float64(n + 1)
	if sum%103 != int(values[n]) || cost > code128Mean {
		return
	}
	text, gs1, ok := code128Text(values[:n])
	if !ok || text == "" {
		return
	}
	s := Code128
	if gs1 {
		s = GS1128
	}
	if !o.wants(s) {
		return
	}
	r.hits = append(r.hits, hit{symbology: s, text: text, gs1: gs1, from: pos, to: pos + total})
}

// code128Text says what values mean, from the start on without the check.
func code128Text(values []byte) (text string, gs1, ok bool) {
	set := values[0] - startA // 0 for A, 1 for B, 2 for C
	var out []byte
	once, latin, latinNext := false, false, false
	for k, v := range values[1:] {
		at := set
		if once {
			at, once = 1-at, false
		}
		switch {
		case v == fnc1:
			if k == 0 {
				gs1 = true
			} else {
				out = append(out, GS)
			}
		case set == 2 && v < 100:
			out = append(out, '0'+v/10, '0'+v%10)
		case set == 2 && v == toB:
			set = 1
		case v == toA && set != 0:
			set = 0
		case v == toC:
			set = 2
		case v == toB && set == 0:
			set = 1
		case v == toB || v == toA: // FNC4: the next one, or all from here on, is of the upper half
			if latinNext {
				latin, latinNext = !latin, false
			} else {
				latinNext = true
			}
		case v == shift128:
			once = true
		case v == fnc2 || v == fnc3: // for the reader itself
		case set == 2:
			return "", false, false
		default:
			c := v + ' '
			if at == 0 && v >= 64 {
				c = v - 64
			}
			if latin != latinNext {
				out = append(out, []byte(string(rune(c)+128))...)
			} else {
				out = append(out, c)
			}
			latinNext = false
		}
	}
	return string(out), gs1, true
}
