package mqtt

import "sync"

// message is one that waits to be told.
type message struct {
	topic    string
	payload  []byte
	retained bool
}

// queue has the messages that wait, oldest first. Of a retained topic only the last message
// waits: an older one would be wrong by then. Where it is full the oldest that is not retained
// is dropped and counted.
type queue struct {
	mu      sync.Mutex
	list    []message
	most    int
	dropped int64
	wake    chan struct{}
}

func newQueue(most int) *queue { return &queue{most: most, wake: make(chan struct{}, 1)} }

func (q *queue) add(m message) {
	q.mu.Lock()
	defer func() {
		q.mu.Unlock()
		select {
		case q.wake <- struct{}{}:
		default:
		}
	}()
	if m.retained {
		for i := range q.list {
			if q.list[i].topic == m.topic {
				q.list[i] = m
				return
			}
		}
	}
	if len(q.list) >= q.most {
		for i := range q.list {
			if !q.list[i].retained {
				q.list = append(q.list[:i], q.list[i+1:]...)
				q.dropped++
				break
			}
		}
	}
	q.list = append(q.list, m)
}

// first returns the message that is told next, without taking it out.
func (q *queue) first() (message, bool) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if len(q.list) == 0 {
		return message{}, false
	}
	return q.list[0], true
}

// done takes a message out that was told, unless a newer one has taken its place.
func (q *queue) done(m message) {
	q.mu.Lock()
	defer q.mu.Unlock()
	for i := range q.list {
		if q.list[i].topic == m.topic && &q.list[i].payload[0] == &m.payload[0] {
			q.list = append(q.list[:i], q.list[i+1:]...)
			return
		}
	}
}

func (q *queue) len() (waiting int, dropped int64) {
	q.mu.Lock()
	defer q.mu.Unlock()
	return len(q.list), q.dropped
}
