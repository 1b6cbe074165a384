package api

import (
	"errors"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/alarm"
)

// Alarms is what the interface can do with alarms.
type Alarms interface {
	// Standing returns those that are not over, the oldest first.
	Standing() []alarm.Alarm
	Acknowledge(id int64, who, note string) (alarm.Alarm, error)
}

// Alarm is something that somebody has to look at.
type Alarm struct {
	ID           int64      `json:"id" required:"true"`
	Line         string     `json:"line" required:"true" description:"Empty of the whole service"`
	Station      string     `json:"station" required:"true" description:"Empty of a whole line"`
	Kind         string     `json:"kind" required:"true" enum:"rejects_in_row,reject_rate,not_confirmed,unexpected,no_picture,late,output,records,disk,picture,challenge,link,changeover"`
	Holds        bool       `json:"holds" required:"true" description:"It has stopped the line"`
	Text         string     `json:"text" required:"true"`
	Times        int64      `json:"times" required:"true" description:"How often it was raised before somebody acknowledged it"`
	Raised       time.Time  `json:"raised" required:"true"`
	Gone         *time.Time `json:"gone,omitempty" description:"When its cause was; absent while it stands"`
	Acknowledged *time.Time `json:"acknowledged,omitempty"`
	Who          string     `json:"who" required:"true" description:"Who acknowledged it"`
	Note         string     `json:"note" required:"true"`
}

// AlarmPage is a part of the history of alarms, newest first.
type AlarmPage struct {
	Alarms []Alarm `json:"alarms" required:"true" nullable:"false"`
	Next   string  `json:"next" required:"true"`
}

// AlarmList lists the alarms that are not over, the oldest first.
type AlarmList struct {
	Alarms []Alarm `json:"alarms" required:"true" nullable:"false"`
}

func alarmOf(a alarm.Alarm) Alarm {
	at := func(t time.Time) *time.Time {
		if t.IsZero() {
			return nil
		}
		t = t.UTC()
		return &t
	}
	return Alarm{
		ID: a.ID, Line: a.Line, Station: a.Station, Kind: string(a.Kind), Holds: a.Holds, Text: a.Text, Times: a.Times,
		Raised: a.Raised.UTC(), Gone: at(a.Gone), Acknowledged: at(a.Acknowledged), Who: a.Who, Note: a.Note,
	}
}

func alarmsOf(in []alarm.Alarm) []Alarm {
	out := make([]Alarm, len(in))
	for i, a := range in {
		out[i] = alarmOf(a)
	}
	return out
}

// AlarmChanged tells listeners of an alarm.
func (h *Hub) AlarmChanged(a alarm.Alarm) {
	out := alarmOf(a)
	h.tell("alarm", Event{Kind: "alarm", Alarm: &out})
}

func (s *Server) standingAlarms(*echo.Context, *none) (*AlarmList, error) {
	return &AlarmList{alarmsOf(s.deps.Alarms.Standing())}, nil
}

type alarmsRequest struct {
	Line   string `query:"line" description:"Only alarms of this line"`
	Cursor string `query:"cursor" description:"The next of the part before"`
}

// alarmsAPart is how many alarms a part of the history has.
const alarmsAPart = 100

func (s *Server) listAlarms(_ *echo.Context, in *alarmsRequest) (*AlarmPage, error) {
	before, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	all, err := s.deps.Records.Alarms(in.Line, before, alarmsAPart+1)
	if err != nil {
		return nil, err
	}
	out := &AlarmPage{}
	if len(all) > alarmsAPart {
		all = all[:alarmsAPart]
		out.Next = strconv.FormatInt(all[alarmsAPart-1].ID, 36)
	}
	out.Alarms = alarmsOf(all)
	return out, nil
}

// cursorOf reads a cursor that is a number; 0 where there is none.
func cursorOf(text string) (int64, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(text, 36, 64)
	if err != nil || n <= 0 {
		return 0, problem(http.StatusBadRequest, "Not a cursor", "Take the cursor from the field next of the part before.")
	}
	return n, nil
}

type acknowledgeRequest struct {
	ID   int64  `param:"id" path:"id" json:"-" required:"true" description:"Number of the alarm"`
	Who  string `json:"who" required:"true" description:"Who has looked"`
	Note string `json:"note,omitempty" description:"What it was, and what was done"`
}

func (s *Server) acknowledgeAlarm(_ *echo.Context, in *acknowledgeRequest) (*Alarm, error) {
	a, err := s.deps.Alarms.Acknowledge(in.ID, in.Who, in.Note)
	switch {
	case errors.Is(err, alarm.ErrNone):
		return nil, problem(http.StatusNotFound, "No such alarm", err.Error()+"; see "+prefix+"/alarms/standing for those that do.")
	case err != nil:
		return nil, problem(http.StatusConflict, "The alarm was not acknowledged", err.Error())
	}
	s.log.Info("alarm acknowledged", "alarm", a.ID, "line", a.Line, "kind", a.Kind, "who", a.Who)
	out := alarmOf(a)
	return &out, nil
}
