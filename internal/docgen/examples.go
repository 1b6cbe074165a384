package main

// example is one kind at work, as the handbook shows it.
type example struct {
	check string // a line of a recipe
	// What is shown of the picture, x0, y0 … x1, y1.
	view [4]float64
	on   picture
}

// picture names what an example looks at.
type picture int

const (
	aTin picture = iota
	aRoll
	aStick
)

var examples = map[string]example{
	"locate.outline":    {"{id: tin, kind: locate.outline, region: {rect: [230, 180, 152, 580]}, turn: 180}", [4]float64{60, 60, 1220, 900}, aTin},
	"locate.patch":      {"{id: print, kind: locate.patch, region: {rect: [240, 190, 130, 300]}}", [4]float64{60, 60, 760, 620}, aTin},
	"locate.edges":      {"{id: corner, kind: locate.edges, edges: [{arrow: [640, 130, 640, 190], width: 500}, {arrow: [190, 470, 240, 470], width: 400}]}", [4]float64{150, 90, 950, 700}, aTin},
	"locate.disc":       {"{id: roll, kind: locate.disc, region: {ring: [640, 470, 100, 132]}}", [4]float64{180, 90, 1100, 850}, aRoll},
	"locate.spot":       {"{id: roll, kind: locate.spot, region: {rect: [300, 130, 680, 680]}, tone: {least: 120}, turn: 0}", [4]float64{180, 90, 1100, 850}, aRoll},
	"locate.code":       {"{id: code, kind: locate.code, region: {rect: [588, 421, 98, 98]}}", [4]float64{440, 350, 740, 590}, aStick},
	"presence.tone":     {"{id: tips, kind: presence.tone, region: {rect: [386, 214, 650, 52]}, tone: {least: 135}}", [4]float64{360, 60, 1060, 420}, aTin},
	"presence.level":    {"{id: label, kind: presence.level, region: {rect: [240, 620, 130, 120], without: [{rect: [252, 655, 48, 66]}]}}", [4]float64{180, 480, 560, 780}, aTin},
	"presence.detail":   {"{id: print, kind: presence.detail, region: {rect: [244, 480, 122, 140]}}", [4]float64{180, 400, 560, 700}, aTin},
	"presence.likeness": {"{id: flower, kind: presence.likeness, region: {rect: [240, 230, 130, 140]}}", [4]float64{180, 180, 560, 440}, aTin},
	"count.spots":       {"{id: tips, kind: count.spots, region: {rect: [386, 214, 650, 52]}, tone: {least: 135}, keep: {height: {least: 40}}}", [4]float64{360, 60, 1060, 420}, aTin},
	"count.repeats":     {"{id: tips, kind: count.repeats, region: {rect: [600, 190, 58, 80]}, search: {rect: [380, 200, 660, 60]}, turn: 5}", [4]float64{360, 60, 1060, 420}, aTin},
	"count.edges":       {"{id: pencils, kind: count.edges, arrow: [380, 255, 1045, 255], width: 10, polarity: to_light, step: 30}", [4]float64{360, 60, 1060, 420}, aTin},
	"color.amount":      {"{id: red, kind: color.amount, region: {rect: [386, 190, 650, 570]}, color: {hue: [340, 20], saturation: {least: 40}}}", [4]float64{200, 140, 1080, 800}, aTin},
	"color.shade":       {"{id: label, kind: color.shade, region: {rect: [240, 620, 130, 30]}, color: '#252b56'}", [4]float64{180, 480, 560, 780}, aTin},
	"color.order":       {"{id: colors, kind: color.order, region: {rect: [388, 330, 646, 300]}, inner: 0.4, expect: [black, yellow, red, orange, violet, pink, blue, sky, green, lime, brown, cream]}", [4]float64{360, 280, 1060, 680}, aTin},
	"measure.gap":       {"{id: width, kind: measure.gap, unit: mm, from: {arrow: [190, 470, 240, 470], width: 40}, to: {arrow: [1090, 470, 1030, 470], width: 40}}", [4]float64{150, 120, 1130, 820}, aTin},
	"measure.size":      {"{id: tin, kind: measure.size, region: {rect: [185, 140, 905, 660]}, take: first, step: 30, depth: 0.2}", [4]float64{150, 120, 1130, 820}, aTin},
	"measure.angle":     {"{id: corner, kind: measure.angle, first: {arrow: [640, 130, 640, 190], width: 500}, second: {arrow: [190, 470, 240, 470], width: 400}}", [4]float64{150, 90, 950, 700}, aTin},
	"measure.circle":    {"{id: outer, kind: measure.circle, unit: mm, region: {ring: [640, 470, 240, 360]}, polarity: to_dark}", [4]float64{180, 90, 1100, 850}, aRoll},
	"measure.rim":       {"{id: rim, kind: measure.rim, unit: mm, region: {ring: [640, 470, 240, 360]}, polarity: to_dark, height: 4}", [4]float64{180, 90, 1100, 850}, aRoll},
	"print.code":        {"{id: code, kind: print.code, region: {rect: [300, 385, 384, 172]}, symbologies: [data-matrix], pattern: '01[0-9]{14}17[0-9]{6}10L[0-9]{4}'}", [4]float64{440, 350, 740, 590}, aStick},
	"print.quality":     {"{id: print, kind: print.quality, region: {rect: [420, 466, 164, 44]}, text: L4711}", [4]float64{400, 390, 660, 540}, aStick},
	"print.grade":       {"{id: quality, kind: print.grade, region: {rect: [570, 405, 134, 130]}, symbologies: [data-matrix], white: 250}", [4]float64{440, 350, 740, 590}, aStick},
	"print.text":        {"{id: date, kind: print.text, region: {rect: [420, 426, 164, 42]}, pattern: '[0-9]{2}\\.[0-9]{2}\\.[0-9]{2}'}", [4]float64{400, 390, 660, 540}, aStick},
}

// hints say what the settings do not: how to use a kind well.
var hints = map[string]string{
	"locate.outline": "It goes by the directions of edges, whatever the light, and with a third of them covered. Choose a feature that is on good and bad " +
		"items alike, that looks like nothing else in the picture however it is turned, that is large compared with the item, and close to what is checked. " +
		"Cut out with `without` what varies; a brush mask does as well. When it is not found, the checks that ride on it are *not judged*, and the item is " +
		"rejected for this one reason.",
	"locate.patch":      "For texture and print without clean edges. Gain and offset of the light do not matter; a change of size does.",
	"locate.edges":      "For items that are guided and lie nearly right. Two edges that cross hold place and turn; one holds only what is square to it.",
	"locate.spot":       "For a single dark or light thing on a plain ground.",
	"locate.code":       "What it says may differ from item to item. Matrix codes tell place and turn to parts of a pixel; bar codes are exact across their bars only.",
	"presence.level":    "An empty pocket has little spread; every object has its own pair of figures.",
	"presence.detail":   "A plain surface has no edges; a code, a text or an object has.",
	"presence.likeness": "Gain and offset of the light do not matter. The patch should have print or form; for a plain surface take `presence.level`.",
	"count.spots": "Rows list every spot with its figures and, in `missed`, the bands that kept it from being counted: the answer to *why was this one not counted?* " +
		"Perimeters are estimated from line crossings in four directions (Cauchy-Crofton).",
	"count.repeats": "A place put together from pieces of its neighbors does not count: it needs edges of its own.",
	"color.amount":  "A forbidden color has `limits: {amount: {most: 0}}`.",
	"color.shade": "CIEDE2000 (ISO/CIE 11664-6), checked against the 34 pairs of Sharma, Wu and Dalal (2005), from linearized sRGB to CIELAB under D65. The mean is that " +
		"of the light, not of the sRGB values.",
	"measure.gap":    "An edge that is not there fails the check. A missing or raised cap is a changed distance.",
	"measure.circle": "Edge points that do not lie on the circle do not pull it.",
	"print.code": "At any angle, light on dark as well, several in a region; a Data Matrix also of dots that do not touch, as ink jet and dot peening make it. Linear codes must read alike on two scan lines or more, have their quiet zones and their check " +
		"digits; matrix codes are mended by their check codewords. Leave a light margin round a code as its standard says. The element strings of a GS1 code " +
		"are texts of their own, dates as in 2027-12-31, so that rules can ask `code.lot == order.lot`.",
	"print.text": "No font is taught. Draw the region with some ground round the print, and as small as how it lies allows: other print and frames in it may be taken for the " +
		"line. Capitals 14 pixels high and more are read well; the least are 10. What is expected steers the reading between characters that look alike, such as 0 and O, " +
		"but only where the plain reading itself was in doubt: `plain` always tells what stands there by itself.\n\n" +
		"`expect` may take days of the order and move them: `{date+18m:MM/yy}` is 18 months after the order's `date`, as month and year. `d` day, `w` week, `m` month, `y` year; a " +
		"month after January 31st is the last of February. The form is that of Unicode Technical Standard 35: `d dd` day, `M MM MMM MMMM` month (Mar, March), `yy yyyy` year, `D DDD` day of " +
		"the year, `w ww` week and `YYYY` its year as in ISO 8601, `e` day of the week from Monday; other letters stand between single quotes. The name in capitals, `{DATE:MMM}`, writes MAR. " +
		"A station gives `date` itself, by its own calendar, where the order does not.",
	"print.quality": "Teach it on good print: the characters of the line on the reference picture, and under `taught` lines with those it lacks, as pictures of the recipe's folder. " +
		"A character is *missing* where next to nothing of it is there, *broken* where it lacks ink, *smeared* where there is ink beside it, *wrong* where another one stands. " +
		"`broken` and `smeared` say how much is let pass; sound print lacks nothing, and has nothing beside it.",
	"print.grade": "Linear codes after ISO/IEC 15416: ten scan lines, every parameter of each, and the mean of what the lines get. Matrix codes after ISO/IEC 15415: contrast, modulation and " +
		"reflectance margin by codeword, fixed patterns, axial and grid nonuniformity, unused error correction; the lowest decides. Set `white` to the gray value of a white reference, " +
		"and use the light that the standard of the code asks for: then grades follow those of a verifier closely enough to watch a printer by. They are no certificate. A module needs five " +
		"pixels and more; with fewer, as in this picture, the grade says more of the camera than of the print. A limit on `grade`, as `{least: 1.5}`, makes it a check.",
	"print.agree": "A text of a check, as `label.text`, or a value of the order, as `order.lot`. What is compared is what `part`, `pattern`, `from` and `length` leave of it, in this order. With " +
		"`day` both may be days in forms of their own; the dates of GS1 codes come as in 2027-12-31 and need none.",
	"logic.rule": "See [Rules](recipe.md#rules).",
}
