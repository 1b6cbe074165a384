// Package outbox says what waits to be delivered to another machine, how often that is tried, and
// when it is given up.
package outbox

import "time"

// Delivery is one message to one receiver.
type Delivery struct {
	ID    int64
	To    string // name of the receiver
	Event string // what happened, as in package.reject
	Body  []byte // JSON
	Made  time.Time
	Tries int
	Next  time.Time // when it is tried next
	Dead  bool      // given up; somebody may try it again
	Error string    // of the last try
}

// Keeper keeps deliveries until they are done.
type Keeper interface {
	// AddDeliveries writes new ones, all or none.
	AddDeliveries([]Delivery) error
	// Due returns up to limit that are to be tried before a time, the oldest first.
	Due(to string, before time.Time, limit int) ([]Delivery, error)
	// NextDue returns when the next one is, false where none waits.
	NextDue(to string) (time.Time, bool, error)
	KeepDelivery(Delivery) error
	// DropDelivery forgets one, false where there is none of that number.
	DropDelivery(id int64) (bool, error)
	// DeadDeliveries returns those that were given up, newest first, and Delivery one of them.
	DeadDeliveries(limit int) ([]Delivery, error)
	Delivery(id int64) (Delivery, bool, error)
	// CountDeliveries counts those that wait and those given up.
	CountDeliveries(to string) (waiting, dead int64, err error)
}

// waits is how long a delivery waits after each try.
var waits = []time.Duration{
	time.Second, 5 * time.Second, 15 * time.Second, time.Minute, 5 * time.Minute, 15 * time.Minute,
	time.Hour, 3 * time.Hour, 6 * time.Hour, 12 * time.Hour,
}

// MostTries is how often a delivery is tried at most.
var MostTries = len(waits) + 1

// Failed notes a try that failed at a time, and says when the next one is, if any. Where the
// receiver says that it will never take it, it is given up at once.
func (d *Delivery) Failed(now time.Time, why string, never bool) {
	d.Tries++
	d.Error = why
	if never || d.Tries >= MostTries {
		d.Dead = true
		return
	}
	d.Next = now.Add(waits[d.Tries-1])
}

// Again gives a delivery that was given up a new life.
func (d *Delivery) Again(now time.Time) { d.Dead, d.Tries, d.Next = false, 0, now }
