package store

import (
	"fmt"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// itemRow is one item. Times are Unix milliseconds, durations microseconds.
type itemRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Station  string `gorm:"not null;uniqueIndex:item_of_station,priority:1;index:items_by_route,priority:1;index:items_by_reason,priority:1"`
	Seq      int64  `gorm:"not null;uniqueIndex:item_of_station,priority:2"`
	Line     string `gorm:"not null"`
	Role     string `gorm:"not null"`
	Time     int64  `gorm:"not null;index:items_by_time"`
	Count    int64  `gorm:"not null"`
	Product  string `gorm:"not null"`
	Revision string `gorm:"not null"`
	Route    string `gorm:"not null;index:items_by_route,priority:2"`
	Fault    string `gorm:"not null"`
	Reason   string `gorm:"not null;index:items_by_reason,priority:2"`
	Sentence string `gorm:"not null"`
	Took     int64  `gorm:"not null"`
	Delay    int64  `gorm:"not null"`
	Findings []byte `gorm:"not null"` // JSON
	Picture  string `gorm:"not null"` // hash, "" where none was kept
	Run      int64  `gorm:"not null;default:0"`
	// Challenge is the one whose test piece it was, 0 in production.
	Challenge int64 `gorm:"not null;default:0"`
	// Shift is the one that it was inspected in.
	Shift int64 `gorm:"not null;default:0;index:items_by_shift"`
}

func (itemRow) TableName() string { return "items" }

// packageRow is one package: the items of that number at the stations of its line, joined.
type packageRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Line     string `gorm:"not null;uniqueIndex:package_of_line,priority:1"`
	Seq      int64  `gorm:"not null;uniqueIndex:package_of_line,priority:2"`
	Run      int64  `gorm:"not null;index:packages_of_run,priority:1"`
	Route    string `gorm:"not null;index:packages_of_run,priority:2"`
	Fault    string `gorm:"not null;index:packages_of_run,priority:3"`
	Time     int64  `gorm:"not null;index:packages_by_time"`
	Count    int64  `gorm:"not null"`
	Product  string `gorm:"not null"`
	Station  string `gorm:"not null"` // whose verdict decided
	Reason   string `gorm:"not null"`
	Sentence string `gorm:"not null"`
	// Challenge is the one whose test piece it was, 0 in production.
	Challenge int64 `gorm:"not null;default:0"`
}

func (packageRow) TableName() string { return "packages" }

// runRow is the production of one product between two changeovers.
type runRow struct {
	ID      int64  `gorm:"primaryKey;autoIncrement"`
	Line    string `gorm:"not null;index:runs_of_line"`
	Product string `gorm:"not null"`
	Packed  []byte `gorm:"not null"` // the order, JSON
	Who     string `gorm:"not null"`
	Means   string `gorm:"not null"`
	Begun   int64  `gorm:"not null"`
	Ended   int64  `gorm:"not null"` // 0 while it goes on
}

func (runRow) TableName() string { return "runs" }

// tallyRow counted items of one hour, before there were shifts (see tally.go).
type tallyRow struct {
	Hour     int64  `gorm:"primaryKey;autoIncrement:false"`
	Station  string `gorm:"primaryKey"`
	Product  string `gorm:"primaryKey"`
	Revision string `gorm:"primaryKey"`
	Route    string `gorm:"primaryKey"`
	Reason   string `gorm:"primaryKey"`
	Fault    bool   `gorm:"primaryKey"`
	N        int64  `gorm:"not null"`
}

func (tallyRow) TableName() string { return "tallies" }

// pictureRow is one picture file that is kept.
type pictureRow struct {
	Hash  string `gorm:"primaryKey"`
	Bytes int64  `gorm:"not null"`
	Time  int64  `gorm:"not null;index:pictures_by_time"`
}

func (pictureRow) TableName() string { return "pictures" }

// revisionRow is a revision that was released here before releases were recorded, when
// recipes were loaded as they lay in the data folder. It never changes; newer ones are
// frozen folders.
type revisionRow struct {
	Hash     string `gorm:"primaryKey"`
	Product  string `gorm:"not null"`
	Role     string `gorm:"not null"`
	Document []byte `gorm:"not null"` // recipe.yaml as it was
	Time     int64  `gorm:"not null"`
}

func (revisionRow) TableName() string { return "revisions" }

// releaseRow is one entry of what happened to a recipe. Entries are only added.
type releaseRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Product  string `gorm:"not null;index:releases_of_recipe,priority:1"`
	Role     string `gorm:"not null;index:releases_of_recipe,priority:2"`
	Action   string `gorm:"not null"`
	Revision string `gorm:"not null"`
	Who      string `gorm:"not null"`
	Note     string `gorm:"not null"`
	Time     int64  `gorm:"not null"`
	Wrong    int    `gorm:"not null"`
	Reason   string `gorm:"not null"`
}

func (releaseRow) TableName() string { return "releases" }

// migrations bring a database of any older version to this one, in order. What has
// landed is never edited; a change is a new entry.
var migrations = []*gormigrate.Migration{
	{
		ID: "0001-items-tallies-pictures-revisions",
		Migrate: func(tx *gorm.DB) error {
			return tx.AutoMigrate(&itemRow{}, &tallyRow{}, &pictureRow{}, &revisionRow{})
		},
	},
	{
		ID:      "0002-releases",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&releaseRow{}) },
	},
	{
		ID:      "0003-packages-runs",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&itemRow{}, &packageRow{}, &runRow{}) },
	},
	{
		ID:      "0004-alarms",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&alarmRow{}) },
	},
	{
		ID:      "0005-challenges",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&itemRow{}, &packageRow{}, &challengeRow{}) },
	},
	{
		ID:      "0006-deliveries",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&deliveryRow{}) },
	},
	{
		// Items are counted anew when the records are opened.
		ID: "0007-shifts-tallies",
		Migrate: func(tx *gorm.DB) error {
			if err := tx.AutoMigrate(&itemRow{}, &facetRow{}, &shiftRow{}, &markRow{}); err != nil {
				return err
			}
			if err := tx.Exec(countsTable).Error; err != nil {
				return err
			}
			return tx.Migrator().DropTable(&tallyRow{})
		},
	},
	{
		ID: "0008-figures",
		Migrate: func(tx *gorm.DB) error {
			if err := tx.AutoMigrate(&layoutRow{}); err != nil {
				return err
			}
			return tx.Exec(figuresTable).Error
		},
	},
	{
		ID:      "0009-reviews",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&reviewRow{}) },
	},
	{
		ID: "0010-shift-counts",
		Migrate: func(tx *gorm.DB) error {
			if err := tx.Exec(shiftCountsTable).Error; err != nil {
				return err
			}
			return sumShifts(tx)
		},
	},
	{
		ID:      "0011-boards",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&boardRow{}) },
	},
}

// migrate refuses a database that a newer program has written.
func migrate(db *gorm.DB) error {
	var ids []string
	if db.Migrator().HasTable("migrations") {
		if err := db.Table("migrations").Pluck("id", &ids).Error; err != nil {
			return err
		}
	}
	known := map[string]bool{"SCHEMA_INIT": true}
	for _, m := range migrations {
		known[m.ID] = true
	}
	for _, id := range ids {
		if !known[id] {
			return fmt.Errorf("the records were written by a newer Ricetta (they have %s); start that one, or restore an older backup", id)
		}
	}
	return gormigrate.New(db, gormigrate.DefaultOptions, migrations).Migrate()
}
