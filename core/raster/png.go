package raster

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"hash/crc32"
)

// EncodePNG returns a picture as a PNG file (ISO/IEC 15948), losing nothing. It is made for
// pictures of cameras, many a second: each sample is written as its difference to its left
// neighbor, and the differences by Huffman's code alone. The noise of a camera leaves little
// that repeats, so that looking for it takes ten times as long and finds nothing.
func EncodePNG(p Picture) ([]byte, error) {
	w, h := p.Size()
	if w == 0 || h == 0 {
		return nil, errors.New("the picture has no pixels")
	}
	var b bytes.Buffer
	b.Grow(w * h)
	b.WriteString("\x89PNG\r\n\x1a\n")
	head := make([]byte, 13)
	binary.BigEndian.PutUint32(head, uint32(w))
	binary.BigEndian.PutUint32(head[4:], uint32(h))
	head[8] = 8
	if p.RGB != nil {
		head[9] = 2
	}
	chunk(&b, "IHDR", head)
	var data bytes.Buffer
	data.Grow(w * h)
	z, err := zlib.NewWriterLevel(&data, zlib.HuffmanOnly)
	if err != nil {
		return nil, err
	}
	for y := range h {
		if _, err := z.Write(p.differences(y)); err != nil {
			return nil, err
		}
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	chunk(&b, "IDAT", data.Bytes())
	chunk(&b, "IEND", nil)
	return b.Bytes(), nil
}

// differences are a row after the filter Sub, with its number (ISO/IEC 15948, 9.2).
func (p Picture) differences(y int) []byte {
	const sub = 1
	if p.RGB == nil {
		row := p.Gray.Row(y)
		out := make([]byte, 1+len(row))
		out[0] = sub
		last := uint8(0)
		for x, v := range row {
			out[1+x] = v - last
			last = v
		}
		return out
	}
	c := p.RGB
	o := y * c.Stride
	r, g, b := c.R[o:o+c.W], c.G[o:o+c.W], c.B[o:o+c.W]
	out := make([]byte, 1+3*c.W)
	out[0] = sub
	to := out[1:]
	var lr, lg, lb uint8
	for x := range r {
		k := 3 * x
		to[k], to[k+1], to[k+2] = r[x]-lr, g[x]-lg, b[x]-lb
		lr, lg, lb = r[x], g[x], b[x]
	}
	return out
}

// chunk writes a piece of the file with its length and checksum.
func chunk(b *bytes.Buffer, name string, data []byte) {
	var n [4]byte
	binary.BigEndian.PutUint32(n[:], uint32(len(data)))
	b.Write(n[:])
	begin := b.Len()
	b.WriteString(name)
	b.Write(data)
	binary.BigEndian.PutUint32(n[:], crc32.ChecksumIEEE(b.Bytes()[begin:]))
	b.Write(n[:])
}
