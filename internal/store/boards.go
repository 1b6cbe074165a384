package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// boardRow is a board as a person has arranged it.
type boardRow struct {
	Name   string `gorm:"primaryKey"`
	Who    string `gorm:"not null"`
	Panels []byte `gorm:"not null"` // JSON
	Time   int64  `gorm:"not null"` // of the last change
}

func (boardRow) TableName() string { return "boards" }

// Panel is one piece of a board.
type Panel struct {
	Kind    string `json:"kind" required:"true" enum:"header,picture,strip,counters,reading,trend,reasons,log"`
	Station string `json:"station,omitempty" description:"Whose it is; of trend and reasons absent for all"`
	Reading string `json:"reading,omitempty" description:"Of a reading: CHECK.NAME"`
	Show    string `json:"show,omitempty" enum:",rejects,passes" description:"Of a strip: what it shows; absent: rejects"`
	Text    string `json:"text,omitempty" description:"Of a header"`
	W       int    `json:"w" required:"true" minimum:"1" maximum:"12" description:"Columns of twelve"`
	H       int    `json:"h" required:"true" minimum:"1" maximum:"12" description:"Rows"`
}

// Board is what a person looks at: panels in their order.
type Board struct {
	Name   string    `json:"name" required:"true"`
	Who    string    `json:"who" required:"true" description:"Who saved it last"`
	Panels []Panel   `json:"panels" required:"true" nullable:"false"`
	Time   time.Time `json:"time" required:"true"`
}

// ErrNoBoard says that there is no such board; ErrBoardChanged that somebody else has saved it
// meanwhile.
var (
	ErrNoBoard      = errors.New("there is no such board; see the list of boards")
	ErrBoardChanged = errors.New("somebody else has saved this board since you opened it; open it anew, or save yours under another name")
)

func (r boardRow) board() (Board, error) {
	b := Board{Name: r.Name, Who: r.Who, Time: time.UnixMilli(r.Time).UTC()}
	if err := json.Unmarshal(r.Panels, &b.Panels); err != nil {
		return b, fmt.Errorf("the board %s is broken: %w", r.Name, err)
	}
	return b, nil
}

// Boards lists all boards by name.
func (s *Store) Boards() ([]Board, error) {
	var rows []boardRow
	if err := s.read.Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Board, len(rows))
	for i, r := range rows {
		var err error
		if out[i], err = r.board(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Board returns a board.
func (s *Store) Board(name string) (Board, error) {
	var rows []boardRow
	if err := s.read.Where("name = ?", name).Find(&rows).Error; err != nil {
		return Board{}, err
	}
	if len(rows) == 0 {
		return Board{}, ErrNoBoard
	}
	return rows[0].board()
}

// KeepBoard saves a board. since is the time of the one that was changed, zero for a new one.
func (s *Store) KeepBoard(b Board, since time.Time) error {
	panels, err := json.Marshal(b.Panels)
	if err != nil {
		return err
	}
	return s.write.Transaction(func(tx *gorm.DB) error {
		var rows []boardRow
		if err := tx.Where("name = ?", b.Name).Find(&rows).Error; err != nil {
			return err
		}
		if len(rows) > 0 && (since.IsZero() || rows[0].Time != since.UnixMilli()) || len(rows) == 0 && !since.IsZero() {
			return ErrBoardChanged
		}
		return tx.Save(&boardRow{b.Name, b.Who, panels, b.Time.UnixMilli()}).Error
	})
}

// DropBoard deletes a board.
func (s *Store) DropBoard(name string) error {
	r := s.write.Where("name = ?", name).Delete(&boardRow{})
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNoBoard
	}
	return r.Error
}
