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
	begin := open(&b, "IHDR")
	b.Write(head)
	shut(&b, begin)
	begin = open(&b, "IDAT")
	z, err := zlib.NewWriterLevel(&b, zlib.HuffmanOnly)
	if err != nil {
		return nil, err
	}
	row := make([]byte, 1+3*w)
	for y := range h {
		if _, err := z.Write(p.differences(y, row)); err != nil {
			return nil, err
		}
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	shut(&b, begin)
	shut(&b, open(&b, "IEND"))
	return b.Bytes(), nil
}

// differences are a row after the filter Sub, with its number (ISO/IEC 15948, 9.2), in a buffer
// that has room for it.
func (p Picture) differences(y int, to []byte) []byte {
	const sub = 1
	if p.RGB == nil {
		row := p.Gray.Row(y)
		out := to[:1+len(row)]
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
	out := to[:1+3*c.W]
	out[0] = sub
	to = out[1:]
	var lr, lg, lb uint8
	for x := range r {
		k := 3 * x
		to[k], to[k+1], to[k+2] = r[x]-lr, g[x]-lg, b[x]-lb
		lr, lg, lb = r[x], g[x], b[x]
	}
	return out
}

// open begins a piece of the file, whose length is not known yet, and returns where.
func open(b *bytes.Buffer, name string) (begin int) {
	b.Write([]byte{0, 0, 0, 0})
	begin = b.Len()
	b.WriteString(name)
	return begin
}

// shut ends it with its length and checksum.
func shut(b *bytes.Buffer, begin int) {
	all := b.Bytes()
	const name = 4
	binary.BigEndian.PutUint32(all[begin-4:], uint32(b.Len()-begin-name))
	var sum [4]byte
	binary.BigEndian.PutUint32(sum[:], crc32.ChecksumIEEE(all[begin:]))
	b.Write(sum[:])
}
