package store

import (
	"time"

	"ricetta/internal/outbox"
)

// deliveryRow is one delivery that waits, or was given up. Times are Unix milliseconds.
type deliveryRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Receiver string `gorm:"not null;index:deliveries_due,priority:1"`
	Dead     bool   `gorm:"not null;index:deliveries_due,priority:2"`
	Next     int64  `gorm:"not null;index:deliveries_due,priority:3"`
	Event    string `gorm:"not null"`
	Body     []byte `gorm:"not null"`
	Made     int64  `gorm:"not null"`
	Tries    int    `gorm:"not null"`
	Error    string `gorm:"not null"`
}

func (deliveryRow) TableName() string { return "deliveries" }

func rowOfDelivery(d outbox.Delivery) deliveryRow {
	return deliveryRow{ID: d.ID, Receiver: d.To, Dead: d.Dead, Next: millis(d.Next), Event: d.Event, Body: d.Body, Made: millis(d.Made), Tries: d.Tries, Error: d.Error}
}

func (r deliveryRow) delivery() outbox.Delivery {
	return outbox.Delivery{ID: r.ID, To: r.Receiver, Dead: r.Dead, Next: fromMillis(r.Next), Event: r.Event, Body: r.Body, Made: fromMillis(r.Made), Tries: r.Tries, Error: r.Error}
}

// AddDeliveries implements outbox.Keeper.
func (s *Store) AddDeliveries(all []outbox.Delivery) error {
	rows := make([]deliveryRow, len(all))
	for i, d := range all {
		rows[i] = rowOfDelivery(d)
	}
	return s.write.CreateInBatches(&rows, 100).Error
}

func deliveriesOf(rows []deliveryRow) []outbox.Delivery {
	out := make([]outbox.Delivery, len(rows))
	for i, r := range rows {
		out[i] = r.delivery()
	}
	return out
}

// Due implements outbox.Keeper.
func (s *Store) Due(to string, before time.Time, limit int) ([]outbox.Delivery, error) {
	var rows []deliveryRow
	err := s.read.Where("receiver = ? AND dead = ? AND next <= ?", to, false, millis(before)).Order("id").Limit(limit).Find(&rows).Error
	return deliveriesOf(rows), err
}

// NextDue implements outbox.Keeper.
func (s *Store) NextDue(to string) (time.Time, bool, error) {
	var at *int64
	err := s.read.Model(&deliveryRow{}).Select("MIN(next)").Where("receiver = ? AND dead = ?", to, false).Scan(&at).Error
	if at == nil {
		return time.Time{}, false, err
	}
	return fromMillis(*at), true, err
}

// KeepDelivery implements outbox.Keeper.
func (s *Store) KeepDelivery(d outbox.Delivery) error {
	r := rowOfDelivery(d)
	return s.write.Save(&r).Error
}

// DropDelivery implements outbox.Keeper.
func (s *Store) DropDelivery(id int64) (bool, error) {
	q := s.write.Delete(&deliveryRow{}, id)
	return q.RowsAffected > 0, q.Error
}

// DeadDeliveries implements outbox.Keeper.
func (s *Store) DeadDeliveries(limit int) ([]outbox.Delivery, error) {
	var rows []deliveryRow
	err := s.read.Where("dead = ?", true).Order("id DESC").Limit(limit).Find(&rows).Error
	return deliveriesOf(rows), err
}

// Delivery implements outbox.Keeper.
func (s *Store) Delivery(id int64) (outbox.Delivery, bool, error) {
	var rows []deliveryRow
	if err := s.read.Where("id = ?", id).Find(&rows).Error; err != nil || len(rows) == 0 {
		return outbox.Delivery{}, false, err
	}
	return rows[0].delivery(), true, nil
}

// CountDeliveries implements outbox.Keeper.
func (s *Store) CountDeliveries(to string) (waiting, dead int64, err error) {
	q := s.read.Model(&deliveryRow{}).Where("receiver = ?", to)
	if err := q.Count(&waiting).Error; err != nil {
		return 0, 0, err
	}
	err = s.read.Model(&deliveryRow{}).Where("receiver = ? AND dead = ?", to, true).Count(&dead).Error
	return waiting - dead, dead, err
}
