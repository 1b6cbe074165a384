package folder

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"ricetta/core/raster"
)

// Decoding a picture takes many times as long as judging it. What was decoded once is
// kept as plain pixels in the user's cache folder, under the hash of the file's content,
// so that every later trial reads it in a millisecond or two. The cache may be deleted at
// any time.

// mostCached bounds the cache in bytes; the pictures used longest ago go first.
const mostCached = 2 << 30

// cacheDir is the folder of the cache, "" where there is none; RICETTA_CACHE names
// another, or "off".
var cacheDir = sync.OnceValue(func() string {
	dir := os.Getenv("RICETTA_CACHE")
	if dir == "off" {
		return ""
	}
	if dir == "" {
		user, err := os.UserCacheDir()
		if err != nil {
			return ""
		}
		dir = filepath.Join(user, "ricetta", "pictures")
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return ""
	}
	prune(dir, mostCached)
	return dir
})

// Cached is Picture, quicker for a file that was read before.
func Cached(file string, limits raster.DecodeLimits) (raster.Picture, error) {
	dir := cacheDir()
	info, err := os.Stat(file)
	if dir == "" || err != nil || info.IsDir() || info.Size() > int64(limits.Bytes) {
		return Picture(file, limits) // tells what is wrong
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return raster.Picture{}, plain(err)
	}
	return DecodeCached(data, filepath.Ext(file), limits)
}

// DecodeCached is raster.Decode, quicker for a content that was decoded before.
func DecodeCached(data []byte, ending string, limits raster.DecodeLimits) (raster.Picture, error) {
	dir := cacheDir()
	if dir == "" {
		return raster.Decode(data, ending, limits)
	}
	// The ending takes part in telling what a file is.
	h := sha256.New()
	fmt.Fprintln(h, strings.ToLower(ending))
	h.Write(data)
	kept := filepath.Join(dir, hex.EncodeToString(h.Sum(nil)[:16]))
	if p, ok := readPixels(kept); ok {
		w, h := p.Size()
		if w*h <= limits.Pixels {
			return p, nil
		}
	}
	p, err := raster.Decode(data, ending, limits)
	if err == nil {
		writePixels(kept, p)
	}
	return p, err
}

// pixelsMagic begins a file of the cache: a version, then width, height and channels.
const pixelsMagic = "ricetta1"

func readPixels(path string) (raster.Picture, bool) {
	data, err := os.ReadFile(path)
	if err != nil || len(data) < 20 || string(data[:8]) != pixelsMagic {
		return raster.Picture{}, false
	}
	w, h, n := int(binary.LittleEndian.Uint32(data[8:])), int(binary.LittleEndian.Uint32(data[12:])), int(binary.LittleEndian.Uint32(data[16:]))
	pix := data[20:]
	if w <= 0 || h <= 0 || w > 1<<20 || h > 1<<20 || len(pix) != w*h*n {
		return raster.Picture{}, false // cut short
	}
	now := time.Now()
	_ = os.Chtimes(path, now, now) // only tells what was used
	switch n {
	case 1:
		return raster.Picture{Gray: &raster.Gray{Pix: pix, W: w, H: h, Stride: w}}, true
	case 3:
		return raster.Picture{RGB: &raster.RGB{R: pix[: w*h : w*h], G: pix[w*h : 2*w*h : 2*w*h], B: pix[2*w*h:], W: w, H: h, Stride: w}}, true
	}
	return raster.Picture{}, false
}

// writePixels keeps a picture. Whatever goes wrong, it is decoded again next time.
func writePixels(path string, p raster.Picture) {
	w, h := p.Size()
	planes := [][]uint8{}
	stride := 0
	switch {
	case p.RGB != nil:
		planes, stride = [][]uint8{p.RGB.R, p.RGB.G, p.RGB.B}, p.RGB.Stride
	case p.Gray != nil:
		planes, stride = [][]uint8{p.Gray.Pix}, p.Gray.Stride
	}
	out := make([]byte, 0, 20+w*h*len(planes))
	out = append(out, pixelsMagic...)
	for _, v := range []int{w, h, len(planes)} {
		out = binary.LittleEndian.AppendUint32(out, uint32(v))
	}
	for _, plane := range planes {
		for y := range h {
			out = append(out, plane[y*stride:y*stride+w]...)
		}
	}
	tmp, err := os.CreateTemp(filepath.Dir(path), ".writing-*")
	if err != nil {
		return
	}
	_, err = tmp.Write(out)
	if e := tmp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(tmp.Name(), path)
	}
	if err != nil {
		_ = os.Remove(tmp.Name())
		return
	}
	if n := written.Add(int64(len(out))); n > mostCached/4 {
		written.Store(0)
		prune(filepath.Dir(path), mostCached)
	}
}

// written counts the bytes since the cache was last pruned.
var written atomic.Int64

// prune removes the pictures used longest ago until the folder holds at most so many
// bytes.
func prune(dir string, most int64) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	var files []fs.FileInfo
	sum := int64(0)
	for _, e := range entries {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			files = append(files, info)
			sum += info.Size()
		}
	}
	slices.SortFunc(files, func(a, b fs.FileInfo) int { return a.ModTime().Compare(b.ModTime()) })
	for _, f := range files {
		if sum <= most {
			return
		}
		if os.Remove(filepath.Join(dir, f.Name())) == nil {
			sum -= f.Size()
		}
	}
}
