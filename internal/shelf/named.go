package shelf

import (
	"context"

	"gorm.io/gorm/clause"
)

// What the studio keeps under names: rows whose key is a name.

// keepNamed writes a row; of one of the same name the column is replaced.
func (h *room) keepNamed(ctx context.Context, row any, column string) error {
	return h.Store.DB.WithContext(ctx).Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "name"}},
		DoUpdates: clause.AssignmentColumns([]string{column}),
	}).Create(row).Error
}

// names lists what is kept in the table of a row, never nil.
func (h *room) names(ctx context.Context, of any) ([]string, error) {
	names := []string{}
	err := h.Store.DB.WithContext(ctx).Model(of).Order("name").Pluck("name", &names).Error
	return names, err
}

// forget removes what is kept under a name.
func (h *room) forget(ctx context.Context, name string, of any) error {
	return h.Store.DB.WithContext(ctx).Where("name = ?", name).Delete(of).Error
}
