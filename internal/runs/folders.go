package runs

import (
	"context"
	"slices"

	"gorm.io/gorm"

	"nelko/internal/core/cast"
	"nelko/internal/core/list"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// match finds for every folder without a row the one it belongs to.
func (r *Folders) match(tx *gorm.DB, run store.Run, held []store.Order) error {
	var folders []store.RunFolder
	if err := tx.Where("run_id = ?", run.ID).Order("name").Find(&folders).Error; err != nil {
		return err
	}
	taken := map[int64]bool{}
	var open []store.RunFolder
	for _, f := range folders {
		if f.OrderID != nil {
			taken[*f.OrderID] = true
		} else if !f.Passed {
			open = append(open, f)
		}
	}
	if len(open) == 0 || len(held) == 0 {
		return nil
	}
	// Rows that have a folder go last: another may still be meant for them.
	free := slices.Clone(held)
	slices.SortStableFunc(free, func(a, b store.Order) int { return bit(taken[a.ID]) - bit(taken[b.ID]) })
	names := make([]string, len(open))
	for i, f := range open {
		names[i] = f.Name
	}
	for i, m := range list.Folders(names, named(free)) {
		f := open[i]
		f.Sure, f.Why, f.Likely, f.RunnerUp = m.Sure, m.Why, nil, nil
		if m.Row >= 0 {
			f.Likely = &free[m.Row].ID
			if m.Sure == list.Exact && taken[free[m.Row].ID] {
				f.Sure, f.Why = list.Likely, "another folder is this row's already"
			}
		}
		if f.Why == "" {
			f.Why = "no row is called like it"
		}
		if m.RunnerUp >= 0 {
			f.RunnerUp = &free[m.RunnerUp].ID
		}
		if f.Sure == list.Exact {
			f.OrderID = f.Likely
		}
		if err := tx.Save(&f).Error; err != nil {
			return err
		}
	}
	return nil
}

func bit(b bool) int {
	if b {
		return 1
	}
	return 0
}

// give makes files media of the rows they belong to. Those in the root are of
// the row whose key they begin with, or common to all.
func (r *Folders) give(ctx context.Context, tx *gorm.DB, run store.Run, held []store.Order) error {
	var files []store.RunFile
	err := tx.Where("run_id = ? AND (folder = '' OR folder IN (SELECT name FROM run_folders WHERE run_id = "+
		"? AND order_id IS NOT NULL))", run.ID, run.ID).Order("id").Find(&files).Error
	if err != nil || len(files) == 0 {
		return err
	}
	var folders []store.RunFolder
	if err := tx.Where("run_id = ? AND order_id IS NOT NULL", run.ID).Find(&folders).Error; err != nil {
		return err
	}
	of := map[string]int64{}
	for _, f := range folders {
		of[f.Name] = *f.OrderID
	}
	names := named(held)
	slices.SortStableFunc(files, func(a, b store.RunFile) int { return cast.CompareNames(a.Name, b.Name) })
	changed := map[int64]bool{}
	done := make([]int64, 0, len(files))
	for _, f := range files {
		m := store.Media{RunID: &run.ID, UploadID: f.UploadID, Name: f.Name, SHA256: f.SHA256, Size: f.Size}
		if f.Folder == "" {
			if len(held) == 0 {
				continue // the list may come yet and name it
			}
			if i := list.FileRow(f.Name, names); i >= 0 {
				m.RunID, m.OrderID = nil, &held[i].ID
			}
		} else {
			order := of[f.Folder]
			m.RunID, m.OrderID = nil, &order
		}
		m.RunFolder = f.Folder
		if err := r.Intake.Take(ctx, tx, &m); err != nil {
			return err
		}
		if m.OrderID != nil {
			changed[*m.OrderID] = true
		} else {
			changed[*run.PatternID] = true
		}
		done = append(done, f.ID)
	}
	if err := tx.Delete(&store.RunFile{}, "id = ANY (?)", store.Numbers(done)).Error; err != nil {
		return err
	}
	for id := range changed {
		if err := r.Orders.Days.Changed(ctx, tx, id); err != nil {
			return err
		}
	}
	return nil
}

// Answer says which row a folder belongs to; 0: to none of them.
func (r *Folders) Answer(ctx context.Context, id int64, folder string, order int64, author *int64) error {
	return r.answer(ctx, id, author, func(f store.RunFolder) (int64, bool) {
		return order, f.Name == folder
	})
}

// AnswerAll says that every folder with a likely row belongs to that: of those that nobody has
// answered for, and that suit no two rows equally.
func (r *Folders) AnswerAll(ctx context.Context, id int64, author *int64) error {
	return r.answer(ctx, id, author, LikelyRow)
}

// LikelyRow is the row that a folder is likely of, and that nobody has answered for yet; ok is
// false where it may as well be of another.
func LikelyRow(f store.RunFolder) (row int64, ok bool) {
	if f.Likely == nil || f.Sure != list.Likely || f.Passed { // what was answered is answered
		return 0, false
	}
	return *f.Likely, true
}

// answer answers for the folders that of has an answer for, as a step that can be undone.
func (r *Folders) answer(ctx context.Context, id int64, author *int64, of func(store.RunFolder) (int64,
	bool)) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		var open []store.RunFolder
		if _, err := lock(tx, id); err != nil {
			return err
		}
		if err := tx.Where("run_id = ? AND order_id IS NULL", id).Order("name").
			Find(&open).Error; err != nil {
			return err
		}
		step := store.RunStep{RunID: id, AuthorID: author}
		for _, f := range open {
			if order, answered := of(f); answered {
				step.Folders = append(step.Folders, store.FolderAnswer{
					Folder:    f.Name,
					OrderID:   order,
					WasPassed: f.Passed,
				})
			}
		}
		switch len(step.Folders) {
		case 0:
			return nil
		case 1:
			step.Title = "What belongs to “" + step.Folders[0].Folder + "”"
		default:
			step.Title = "Answers for " + wording.Counted(len(step.Folders), "folder")
		}
		if err := remember(tx, step); err != nil {
			return err
		}
		return r.belong(ctx, tx, id, step.Folders)
	})
}

// belong takes answers for: folders are of their rows, or of none.
func (r *Folders) belong(ctx context.Context, tx *gorm.DB, run int64, answers []store.FolderAnswer) error {
	for _, a := range answers {
		set := map[string]any{"passed": a.OrderID == 0}
		if a.OrderID != 0 {
			if _, err := store.One[store.Order](tx, "id = ? AND run_id = ? AND run_key <> ''", a.OrderID,
				run); err != nil {
				return invalid.Field("row", "There is no such row in this Run.")
			}
			set["order_id"] = a.OrderID
		}
		if err := tx.Model(&store.RunFolder{}).Where("run_id = ? AND name = ? AND order_id IS NULL", run,
			a.Folder).Updates(set).Error; err != nil {
			return err
		}
	}
	return r.sortSoon(ctx, tx, run)
}

func (r *Folders) sortSoon(ctx context.Context, tx *gorm.DB, run int64) error {
	if err := store.Tell(tx, store.Event{What: store.RunChanged, ID: run}); err != nil {
		return err
	}
	return r.once(ctx, tx, Sort{run}, run)
}

// takeBack takes answers back: what came with the folders leaves the films of their rows and
// waits again.
func (r *Folders) takeBack(ctx context.Context, tx *gorm.DB, run int64, answers []store.FolderAnswer,
	author *int64) error {
	if _, err := lock(tx, run); err != nil {
		return err
	}
	for _, a := range answers {
		set := map[string]any{"passed": a.WasPassed, "order_id": nil}
		if err := tx.Model(&store.RunFolder{}).Where("run_id = ? AND name = ?", run, a.Folder).
			Updates(set).Error; err != nil {
			return err
		}
		if a.OrderID == 0 {
			continue
		}
		var came []store.Media
		if err := tx.Omit("waveform").Where("order_id = ? AND run_folder = ?", a.OrderID, a.Folder).
			Order("id").Find(&came).Error; err != nil {
			return err
		}
		if err := r.Intake.Material.TakeOut(ctx, tx, a.OrderID, came, author); err != nil {
			return err
		}
		for _, m := range came {
			sha := m.SHA256
			if m.Original != nil {
				sha = *m.Original // as it was received
			}
			f := store.RunFile{
				RunID:    run,
				Folder:   a.Folder,
				Name:     m.Name,
				UploadID: m.UploadID,
				SHA256:   sha,
				Size:     m.Size,
			}
			if err := tx.Create(&f).Error; err != nil {
				return err
			}
		}
	}
	return r.sortSoon(ctx, tx, run)
}
