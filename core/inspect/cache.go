package inspect

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"sync"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Cache keeps what checks were taught and pictures that were decoded, so that a recipe
// changed in one check is made ready again by teaching that check alone. It may be used
// concurrently. What it returns is what teaching anew would give.
type Cache struct {
	mu     sync.Mutex
	most   int
	taught map[[32]byte]*lesson
	order  [][32]byte // of taught, the one used longest ago first

	pictures map[[32]byte]raster.Picture // of the present references and views, few
}

// lesson is what teaching a check gave.
type lesson struct {
	taught   check.Taught
	marks    []check.Mark
	warnings []string
}

// mostPictures bounds the decoded pictures that a cache keeps.
const mostPictures = 4

// NewCache returns a cache of at most so many checks.
func NewCache(most int) *Cache {
	return &Cache{most: most, taught: map[[32]byte]*lesson{}, pictures: map[[32]byte]raster.Picture{}}
}

// files is what all lessons of a recipe depend on: its picture and its files.
func (c *Cache) files(r *recipe.Recipe) string {
	if c == nil {
		return ""
	}
	h := sha256.New()
	fmt.Fprintf(h, "%+v\n", r.Picture)
	for _, f := range r.Document.Files() {
		sum := sha256.Sum256(r.Files[f.Name])
		fmt.Fprintf(h, "%s %x\n", f.Name, sum)
	}
	return string(h.Sum(nil))
}

// key is the content that the lesson of check i depends on: kind and settings, and what
// files says. Rules depend on the other checks as well and are not kept.
func (c *Cache) key(r *recipe.Recipe, i int, files string) (k [32]byte, ok bool) {
	if c == nil || recipe.IsLogic(r.Checks[i].Kind) {
		return k, false
	}
	settings, err := json.Marshal(r.Checks[i].Settings)
	if err != nil {
		return k, false
	}
	return sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%x", r.Checks[i].Kind, settings, files)), true
}

func (c *Cache) find(k [32]byte) *lesson {
	c.mu.Lock()
	defer c.mu.Unlock()
	l := c.taught[k]
	if l != nil {
		c.touch(k)
	}
	return l
}

func (c *Cache) keep(k [32]byte, l *lesson) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.taught[k] = l
	c.touch(k)
	for len(c.order) > c.most {
		delete(c.taught, c.order[0])
		c.order = c.order[1:]
	}
}

func (c *Cache) touch(k [32]byte) {
	for i, o := range c.order {
		if o == k {
			c.order = append(c.order[:i], c.order[i+1:]...)
			break
		}
	}
	c.order = append(c.order, k)
}

// decode returns a picture of that content, by make where it is not kept.
func (c *Cache) decode(data []byte, make func() (raster.Picture, error)) (raster.Picture, error) {
	if c == nil {
		return make()
	}
	k := sha256.Sum256(data)
	c.mu.Lock()
	p, ok := c.pictures[k]
	c.mu.Unlock()
	if ok {
		return p, nil
	}
	p, err := make()
	if err == nil {
		c.mu.Lock()
		if len(c.pictures) >= mostPictures {
			clear(c.pictures)
		}
		c.pictures[k] = p
		c.mu.Unlock()
	}
	return p, err
}
