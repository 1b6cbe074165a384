package line

// eye makes packages of what a photo-eye sees. What is dark for less than a distance is a
// reflection or dust; what follows the last package too closely is a part of it.
type eye struct {
	debounce, least int64

	dark    bool
	waiting bool  // since is not judged yet
	since   int64 // count at which it went dark
	seen    bool  // there was a package before
	last    int64 // where that was

	flickers, parts int64 // what was passed over
}

// input tells that the eye went dark or light at a count, and returns where a package lies
// that this makes known.
func (e *eye) input(dark bool, count int64) (at int64, ok bool) {
	if dark == e.dark {
		return e.due(count)
	}
	if dark {
		e.dark, e.waiting, e.since = true, true, count
		return e.due(count)
	}
	at, ok = e.due(count)
	if e.waiting {
		e.flickers++
	}
	e.dark, e.waiting = false, false
	return at, ok
}

// due returns where a package lies that has been dark long enough, if there is a new one: where
// the eye went dark.
func (e *eye) due(count int64) (at int64, ok bool) {
	if !e.waiting || count-e.since < e.debounce {
		return 0, false
	}
	e.waiting = false
	if e.seen && e.since-e.last < e.least {
		e.parts++
		return 0, false
	}
	e.seen, e.last = true, e.since
	return e.since, true
}
