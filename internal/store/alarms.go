package store

import (
	"time"

	"gorm.io/gorm/clause"

	"ricetta/internal/alarm"
)

// alarmRow is one alarm. Times are Unix milliseconds, 0 for not yet.
type alarmRow struct {
	ID           int64  `gorm:"primaryKey;autoIncrement:false"`
	Line         string `gorm:"not null;index:alarms_of_line"`
	Station      string `gorm:"not null"`
	Kind         string `gorm:"not null"`
	Holds        bool   `gorm:"not null"`
	Sentence     string `gorm:"not null"`
	Times        int64  `gorm:"not null"`
	Raised       int64  `gorm:"not null"`
	Gone         int64  `gorm:"not null"`
	Acknowledged int64  `gorm:"not null"`
	Who          string `gorm:"not null"`
	Note         string `gorm:"not null"`
}

func (alarmRow) TableName() string { return "alarms" }

// millis is a time as it is kept: 0 for none.
func millis(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}

func fromMillis(n int64) time.Time {
	if n == 0 {
		return time.Time{}
	}
	return time.UnixMilli(n).UTC()
}

// KeepAlarm implements alarm.Keeper.
func (s *Store) KeepAlarm(a alarm.Alarm) error {
	r := alarmRow{
		ID: a.ID, Line: a.Line, Station: a.Station, Kind: string(a.Kind), Holds: a.Holds, Sentence: a.Text, Times: a.Times,
		Raised: millis(a.Raised), Gone: millis(a.Gone), Acknowledged: millis(a.Acknowledged), Who: a.Who, Note: a.Note,
	}
	return s.write.Clauses(clause.OnConflict{UpdateAll: true}).Create(&r).Error
}

func (r alarmRow) alarm() alarm.Alarm {
	return alarm.Alarm{
		ID: r.ID, Line: r.Line, Station: r.Station, Kind: alarm.Kind(r.Kind), Holds: r.Holds, Text: r.Sentence, Times: r.Times,
		Raised: fromMillis(r.Raised), Gone: fromMillis(r.Gone), Acknowledged: fromMillis(r.Acknowledged), Who: r.Who, Note: r.Note,
	}
}

func alarmsOf(rows []alarmRow) []alarm.Alarm {
	out := make([]alarm.Alarm, len(rows))
	for i, r := range rows {
		out[i] = r.alarm()
	}
	return out
}

// OpenAlarms implements alarm.Keeper.
func (s *Store) OpenAlarms() ([]alarm.Alarm, error) {
	var rows []alarmRow
	err := s.read.Where("gone = 0 OR acknowledged = 0").Order("id").Find(&rows).Error
	return alarmsOf(rows), err
}

// LastAlarm implements alarm.Keeper.
func (s *Store) LastAlarm() (int64, error) {
	var id int64
	err := s.read.Raw("SELECT COALESCE(MAX(id), 0) FROM alarms").Scan(&id).Error
	return id, err
}

// AlarmsBetween returns up to limit alarms that were raised in a span, oldest first.
func (s *Store) AlarmsBetween(from, until time.Time, limit int) ([]alarm.Alarm, error) {
	var rows []alarmRow
	err := s.read.Where("raised >= ? AND raised < ?", millis(from), millis(until)).Order("id").Limit(limit).Find(&rows).Error
	return alarmsOf(rows), err
}

// Alarms returns up to limit alarms of a line, of all where it is "", newest first; before
// continues a list.
func (s *Store) Alarms(line string, before int64, limit int) ([]alarm.Alarm, error) {
	q := s.read.Order("id DESC").Limit(limit)
	if line != "" {
		q = q.Where("line = ?", line)
	}
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	var rows []alarmRow
	err := q.Find(&rows).Error
	return alarmsOf(rows), err
}
