package store

import (
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"ricetta/internal/line"
)

// challengeRow is one challenge. Times are Unix milliseconds.
type challengeRow struct {
	ID      int64  `gorm:"primaryKey;autoIncrement"`
	Line    string `gorm:"not null;index:challenges_of_line"`
	Run     int64  `gorm:"not null"`
	Product string `gorm:"not null"`
	Who     string `gorm:"not null"`
	Begun   int64  `gorm:"not null"`
	Ended   int64  `gorm:"not null"` // 0 while it goes on
	Result  string `gorm:"not null"`
	Sends   []byte `gorm:"not null"` // JSON
}

func (challengeRow) TableName() string { return "challenges" }

// KeepChallenge implements line.Challengers.
func (s *Store) KeepChallenge(c line.Challenge) (int64, error) {
	sends, err := json.Marshal(c.Sends)
	if err != nil {
		return 0, err
	}
	r := challengeRow{
		ID: c.ID, Line: c.Line, Run: c.Run, Product: c.Product, Who: c.Who,
		Begun: millis(c.Begin), Ended: millis(c.End), Result: string(c.Result), Sends: sends,
	}
	err = s.write.Save(&r).Error
	return r.ID, err
}

func (r challengeRow) challenge() (line.Challenge, error) {
	c := line.Challenge{
		ID: r.ID, Line: r.Line, Run: r.Run, Product: r.Product, Who: r.Who,
		Begin: fromMillis(r.Begun), End: fromMillis(r.Ended), Result: line.ChallengeResult(r.Result),
	}
	if err := json.Unmarshal(r.Sends, &c.Sends); err != nil {
		return c, fmt.Errorf("the pieces of challenge %d are broken: %w", r.ID, err)
	}
	return c, nil
}

// LastPassed implements line.Challengers. Challenges that went on when the service ended are
// given up.
func (s *Store) LastPassed(lineID string) (c line.Challenge, failed bool, err error) {
	open := s.write.Model(&challengeRow{}).Where("line = ? AND result = ?", lineID, string(line.GoesOn))
	if err := open.Updates(map[string]any{"result": string(line.GivenUp), "ended": gorm.Expr("begun")}).Error; err != nil {
		return c, false, err
	}
	var rows []challengeRow
	q := s.read.Where("line = ? AND result IN ?", lineID, []string{string(line.Passed), string(line.Failed)})
	if err := q.Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
		return c, false, err
	}
	failed = rows[0].Result == string(line.Failed)
	if failed {
		rows = rows[:0]
		if err := s.read.Where("line = ? AND result = ?", lineID, string(line.Passed)).Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
			return c, failed, err
		}
	}
	c, err = rows[0].challenge()
	return c, failed, err
}

// Challenges returns up to limit challenges of a line, newest first; before continues a list.
func (s *Store) Challenges(lineID string, before int64, limit int) ([]line.Challenge, error) {
	q := s.read.Where("line = ?", lineID).Order("id DESC").Limit(limit)
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	var rows []challengeRow
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]line.Challenge, len(rows))
	for i, r := range rows {
		var err error
		if out[i], err = r.challenge(); err != nil {
			return nil, err
		}
	}
	return out, nil
}
