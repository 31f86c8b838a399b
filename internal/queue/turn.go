package queue

import (
	"time"

	"gorm.io/gorm"
)

// held is the time jobs that are held are due at.
const held = "9999-01-01"

// Move gives waiting jobs of a kind another turn, by a number in their
// arguments; without one, the turn in their arguments. Jobs that were begun
// stay as they are.
func Move(tx *gorm.DB, kind, field string, ids []int64, to *time.Time) error {
	set := "coalesce((args->>'turn')::timestamptz, created_at)"
	args := []any{}
	if to != nil {
		set, args = "?", append(args, *to)
	}
	return tx.Exec("UPDATE river_job SET state = 'available', scheduled_at = "+set+waiting,
		append(args, kind, field, ids)...).Error
}

// Hold keeps waiting jobs of a kind from being begun until they are moved.
func Hold(tx *gorm.DB, kind, field string, ids []int64) error {
	return tx.Exec("UPDATE river_job SET state = 'scheduled', scheduled_at = '"+held+"'"+waiting, kind, field,
		ids).Error
}

// unbegun is said of jobs that wait to be begun.
const unbegun = "state IN ('available', 'scheduled', 'retryable')"

const waiting = " WHERE kind = ? AND (args->>?)::bigint IN ? AND " + unbegun

// Waits reports whether a job of a kind with a number in its arguments waits to
// be begun.
func Waits(tx *gorm.DB, kind, field string, id int64) (waits bool, err error) {
	err = tx.Raw("SELECT EXISTS (SELECT 1 FROM river_job WHERE kind = ? AND (args->>?)::bigint = ? AND "+
		unbegun+")", kind, field, id).Scan(&waits).Error
	return waits, err
}

// Turn is a job that waits: what it is for, and whether it is held.
type Turn struct {
	ID   int64
	Held bool
}

// Turns are the jobs of a kind that wait, by a number in their arguments, in the order in which
// they will be begun.
func Turns(tx *gorm.DB, kind, field string) (out []Turn, err error) {
	err = tx.Raw("SELECT (args->>?)::bigint id, scheduled_at = '"+held+
		"' held FROM river_job WHERE kind = ? AND "+unbegun+" ORDER BY scheduled_at, id", field, kind).
		Scan(&out).Error
	return out, err
}
