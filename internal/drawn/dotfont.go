package drawn

import (
	"math/rand/v2"
	"strings"

	"ricetta/core/raster"
)

// dotLetters are characters of five by seven dots, seven rows of two digits each, base 16,
// the leftmost dot being 10.
const dotLetters = `
0 0E 11 13 15 19 11 0E
1 04 0C 04 04 04 04 0E
2 0E 11 01 06 08 10 1F
3 0E 11 01 06 01 11 0E
4 02 06 0A 12 1F 02 02
5 1F 10 1E 01 01 11 0E
6 06 08 10 1E 11 11 0E
7 1F 01 02 04 04 04 04
8 0E 11 11 0E 11 11 0E
9 0E 11 11 0F 01 02 0C
A 04 0A 11 11 1F 11 11
B 1E 11 11 1E 11 11 1E
C 0E 11 10 10 10 11 0E
D 1C 12 11 11 11 12 1C
E 1F 10 10 1E 10 10 1F
F 1F 10 10 1E 10 10 10
G 0E 11 10 13 11 11 0F
H 11 11 11 1F 11 11 11
I 0E 04 04 04 04 04 0E
J 07 02 02 02 02 12 0C
K 11 12 14 18 14 12 11
L 10 10 10 10 10 10 1F
M 11 1B 15 15 11 11 11
N 11 19 19 15 13 13 11
O 0E 11 11 11 11 11 0E
P 1E 11 11 1E 10 10 10
Q 0E 11 11 11 15 12 0D
R 1E 11 11 1E 14 12 11
S 0F 10 10 0E 01 01 1E
T 1F 04 04 04 04 04 04
U 11 11 11 11 11 11 0E
V 11 11 11 11 0A 0A 04
W 11 11 11 15 15 1B 11
X 11 11 0A 04 0A 11 11
Y 11 11 0A 04 04 04 04
Z 1F 01 02 04 08 10 1F
a 00 00 0E 01 0F 11 0F
b 10 10 1E 11 11 11 1E
c 00 00 0E 10 10 11 0E
d 01 01 0F 11 11 11 0F
e 00 00 0E 11 1F 10 0E
f 06 09 08 1C 08 08 08
g 00 0F 11 11 0F 01 0E
h 10 10 1E 11 11 11 11
i 04 00 0C 04 04 04 0E
j 02 00 06 02 02 12 0C
k 10 10 12 14 18 14 12
l 0C 04 04 04 04 04 0E
m 00 00 1A 15 15 11 11
n 00 00 16 19 11 11 11
o 00 00 0E 11 11 11 0E
p 00 00 1E 11 1E 10 10
q 00 00 0F 11 0F 01 01
r 00 00 16 19 10 10 10
s 00 00 0F 10 0E 01 1E
t 08 08 1C 08 08 09 06
u 00 00 11 11 11 13 0D
v 00 00 11 11 11 0A 04
w 00 00 11 11 15 15 0A
x 00 00 11 0A 04 0A 11
y 00 00 11 11 0F 01 0E
z 00 00 1F 02 04 08 1F
. 00 00 00 00 00 0C 0C
, 00 00 00 00 0C 04 08
: 00 0C 0C 00 0C 0C 00
/ 01 01 02 04 08 10 10
- 00 00 00 1F 00 00 00
+ 00 04 04 1F 04 04 00
= 00 00 1F 00 1F 00 00
* 00 15 0E 1F 0E 15 00
# 0A 0A 1F 0A 1F 0A 0A
% 18 19 02 04 08 13 03
& 0C 12 14 08 15 12 0D
( 02 04 08 08 08 04 02
) 08 04 02 02 02 04 08
' 0C 04 08 00 00 00 00
! 04 04 04 04 04 00 04
? 0E 11 01 02 04 00 04
@ 0E 11 17 15 17 10 0E
€ 06 09 1C 08 1C 09 06
$ 04 0F 14 0E 05 1E 04
£ 06 09 08 1C 08 08 1F
° 06 09 09 06 00 00 00
`

// DotFace is a font of five by seven dots, as printers with seven nozzles have.
func DotFace() *Face {
	f := &Face{Name: "five by seven dots", rows: 7, dotted: true, dots: map[rune][7]byte{' ': {}}}
	for line := range strings.Lines(strings.TrimSpace(dotLetters)) {
		fields := strings.Fields(line)
		var rows [7]byte
		for i, s := range fields[1:] {
			rows[i] = hex(s[0])<<4 | hex(s[1])
		}
		f.dots[[]rune(fields[0])[0]] = rows
	}
	return f
}

func hex(b byte) byte { return byte(strings.IndexByte("0123456789ABCDEF", b)) }

// letterDots draws a text with a font of dots.
func (f *Face) letterDots(text string, l Lettering, rng *rand.Rand) *Ink {
	pitch := l.Cap / 7
	wide := pitch * l.Stretch
	gap := 1 + max(int(l.Tracking*7+0.5), 0)
	margin := inkMargin * l.Cap
	ink := &Ink{Text: text, Cap: l.Cap, Base: margin + l.Cap}
	var at []raster.Point
	x := margin
	for _, r := range text {
		for j, row := range f.dots[r] {
			for i := range 5 {
				if row>>(4-i)&1 == 1 {
					y := ink.Base - (6.5-float64(j))*pitch
					at = append(at, raster.Point{X: x + (float64(i)+0.5)*wide + (ink.Base-y)*l.Shear, Y: y})
				}
			}
		}
		w := float64(5+gap) * wide
		ink.Chars = append(ink.Chars, [2]float64{x, x + w})
		x += w
	}
	ink.Resize(int(x+margin)+1, int(l.Cap*(1+2*inkMargin))+1)
	if l.Dot == 0 {
		l.Dot = 1
	}
	ink.spray(at, pitch, l, rng)
	return ink
}
