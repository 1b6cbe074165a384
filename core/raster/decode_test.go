package raster

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

func drawn() (*image.Gray, *image.NRGBA) {
	g, c := image.NewGray(image.Rect(0, 0, 40, 30)), image.NewNRGBA(image.Rect(0, 0, 40, 30))
	for y := range 30 {
		for x := range 40 {
			g.SetGray(x, y, color.Gray{uint8(5*x + y)})
			c.SetNRGBA(x, y, color.NRGBA{uint8(6 * x), uint8(8 * y), 77, 255})
		}
	}
	return g, c
}

func encoded(t testing.TB, f func(*bytes.Buffer) error) []byte {
	var b bytes.Buffer
	require.NoError(t, f(&b))
	return b.Bytes()
}

func TestDecodeReadsEveryFormat(t *testing.T) {
	g, c := drawn()
	for ending, data := range map[string][]byte{
		".png":  encoded(t, func(b *bytes.Buffer) error { return png.Encode(b, c) }),
		".BMP":  encoded(t, func(b *bytes.Buffer) error { return bmp.Encode(b, c) }),
		".tiff": encoded(t, func(b *bytes.Buffer) error { return tiff.Encode(b, c, nil) }),
	} {
		p, err := Decode(data, ending, DefaultDecodeLimits)
		require.NoError(t, err, ending)
		require.Equal(t, KindColor, p.Kind(), ending)
		i := 20*p.RGB.Stride + 9
		assert.Equal(t, [3]uint8{54, 160, 77}, [3]uint8{p.RGB.R[i], p.RGB.G[i], p.RGB.B[i]}, ending)
	}
	for ending, data := range map[string][]byte{
		".png": encoded(t, func(b *bytes.Buffer) error { return png.Encode(b, g) }),
		".bmp": encoded(t, func(b *bytes.Buffer) error { return bmp.Encode(b, g) }),
		".tif": encoded(t, func(b *bytes.Buffer) error { return tiff.Encode(b, g, nil) }),
	} {
		p, err := Decode(data, ending, DefaultDecodeLimits)
		require.NoError(t, err, ending)
		require.Equal(t, KindGray, p.Kind(), ending)
		assert.Equal(t, uint8(65), p.Gray.Row(20)[9], ending)
	}
	p, err := Decode(encoded(t, func(b *bytes.Buffer) error { return jpeg.Encode(b, c, nil) }), ".jpeg", DefaultDecodeLimits)
	require.NoError(t, err)
	assert.InDelta(t, 54, float64(p.RGB.R[20*40+9]), 8)
	back := FromImage(p.Image())
	assert.Equal(t, p.RGB.G, back.RGB.G, "there and back is identity")
}

// pngHeader is a PNG that claims to be w×h and holds nothing.
func pngHeader(w, h uint32) []byte {
	b := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x0dIHDR")
	b = binary.BigEndian.AppendUint32(b, w)
	b = binary.BigEndian.AppendUint32(b, h)
	b = append(b, 8, 2, 0, 0, 0)
	return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[12:]))
}

func TestDecodeRefuses(t *testing.T) {
	_, c := drawn()
	whole := encoded(t, func(b *bytes.Buffer) error { return png.Encode(b, c) })
	for _, tc := range []struct {
		name   string
		data   []byte
		ending string
		want   error
	}{
		{"nothing", nil, ".png", ErrEmpty},
		{"a text", []byte("hello, this is no picture"), ".png", ErrNotAPicture},
		{"a picture cut short", whole[:len(whole)/2], ".png", ErrBroken},
		{"a PNG named .jpg", whole, ".jpg", ErrMislabeled},
		{"a gigapixel header", pngHeader(40000, 40000), ".png", ErrTooLarge},
		{"a header whose product overflows", pngHeader(1<<31-1, 1<<31-1), ".png", ErrBroken},
	} {
		_, err := Decode(tc.data, tc.ending, DefaultDecodeLimits)
		assert.ErrorIs(t, err, tc.want, tc.name)
	}
	_, err := Decode(whole, "", DecodeLimits{Bytes: 10, Pixels: 1 << 20})
	assert.ErrorIs(t, err, ErrTooLarge)
}

func FuzzDecode(f *testing.F) {
	g, c := drawn()
	f.Add(encoded(f, func(b *bytes.Buffer) error { return png.Encode(b, c) }))
	f.Add(encoded(f, func(b *bytes.Buffer) error { return jpeg.Encode(b, g, nil) }))
	f.Add(encoded(f, func(b *bytes.Buffer) error { return bmp.Encode(b, c) }))
	f.Add(encoded(f, func(b *bytes.Buffer) error { return tiff.Encode(b, g, nil) }))
	f.Add(pngHeader(1<<20, 3))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Decode(data, "", DecodeLimits{Bytes: 1 << 20, Pixels: 1 << 16})
		if err != nil {
			assert.Zero(t, p)
			return
		}
		w, h := p.Size()
		if w <= 0 || h <= 0 || w*h > 1<<16 {
			t.Fatalf("a picture of %d×%d came through", w, h)
		}
		assert.Equal(t, p.Kind(), FromImage(p.Image()).Kind())
	})
}
