package api

import (
	"bytes"
	"image/jpeg"
	"net/http"
	"strconv"
	"sync"

	"github.com/labstack/echo/v5"

	"ricetta/core/raster"
	"ricetta/internal/store"
)

type pictureRequest struct {
	ID   string `param:"id" path:"id" required:"true" description:"Id of the item"`
	Size string `query:"size" enum:"full,preview,thumb" default:"full" description:"full: the kept PNG to the last bit; preview: JPEG of the same size; thumb: small JPEG"`
}

// picture sends the picture of an item: from memory while it is recent, else from
// the records. A picture never changes, so browsers may keep it.
func (s *Server) picture(c *echo.Context, in *pictureRequest) error {
	switch in.Size {
	case "", "full", "preview", "thumb":
	default:
		return problem(http.StatusBadRequest, "No such size", "Ask for full, preview or thumb.")
	}
	stationID, seq, err := parseItemID(in.ID)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "private, max-age=86400, immutable")
	if in.Size == "preview" || in.Size == "thumb" {
		data, err := s.previews.get(in.ID+"/"+in.Size, func() ([]byte, error) { return s.makePreview(stationID, seq, in.Size) })
		if err != nil {
			return err
		}
		return c.Blob(http.StatusOK, "image/jpeg", data)
	}
	k, err := s.deps.Records.ItemOf(stationID, seq)
	if err != nil {
		return err
	}
	data, err := s.deps.Records.Picture(k.PictureHash)
	if err != nil {
		return err
	}
	h.Set("Content-Length", strconv.Itoa(len(data)))
	return c.Blob(http.StatusOK, "image/png", data)
}

func (s *Server) makePreview(stationID string, seq int64, size string) ([]byte, error) {
	var pic raster.Picture
	if it := s.hub.find(stationID, seq); it != nil {
		pic = it.Picture
	} else {
		k, err := s.deps.Records.ItemOf(stationID, seq)
		if err != nil {
			return nil, err
		}
		data, err := s.deps.Records.Picture(k.PictureHash)
		if err != nil {
			return nil, err
		}
		if pic, err = raster.Decode(data, ".png", raster.DefaultDecodeLimits); err != nil {
			return nil, err
		}
	}
	if pic.Kind() == "" {
		return nil, store.ErrNoPicture
	}
	return jpegOf(pic, size)
}

// jpegOf encodes a picture as a preview, or small as a thumb.
func jpegOf(pic raster.Picture, size string) ([]byte, error) {
	quality := 85
	if size == "thumb" {
		pic, quality = shrink(pic), 75
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, pic.Image(), &jpeg.Options{Quality: quality}); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// thumbWidth is the width that a thumbnail keeps at least.
const thumbWidth = 240

// shrink halves the picture until it is small.
func shrink(p raster.Picture) raster.Picture {
	for w, h := p.Size(); w >= 2*thumbWidth && h >= 2; w, h = p.Size() {
		if p.Gray != nil {
			p.Gray = p.Gray.Half(new(raster.Gray))
			continue
		}
		half := raster.NewRGB(w/2, h/2)
		for _, ch := range [3][2][]uint8{{p.RGB.R, half.R}, {p.RGB.G, half.G}, {p.RGB.B, half.B}} {
			src := raster.Gray{Pix: ch[0], W: w, H: h, Stride: p.RGB.Stride}
			copy(ch[1], src.Half(new(raster.Gray)).Pix)
		}
		p.RGB = half
	}
	return p
}

// previewCache keeps the last encoded previews and makes each only once, however
// many ask for it at the same time.
type previewCache struct {
	mu    sync.Mutex
	items map[string]*preview
	order []string
}

type preview struct {
	once sync.Once
	data []byte
	err  error
}

const keptPreviews = 128

func (p *previewCache) get(key string, make func() ([]byte, error)) ([]byte, error) {
	p.mu.Lock()
	if p.items == nil {
		p.items = map[string]*preview{}
	}
	v := p.items[key]
	if v == nil {
		v = &preview{}
		p.items[key] = v
		p.order = append(p.order, key)
		if len(p.order) > keptPreviews {
			delete(p.items, p.order[0])
			p.order = p.order[1:]
		}
	}
	p.mu.Unlock()
	v.once.Do(func() { v.data, v.err = make() })
	if v.err != nil {
		p.mu.Lock()
		delete(p.items, key) // a failure is not kept: the next one who asks may have more luck
		p.mu.Unlock()
	}
	return v.data, v.err
}
