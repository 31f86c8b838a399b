package uploads

import (
	"context"
	"crypto/rand"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"nelko/internal/intake"
	"nelko/internal/store"

	tusd "github.com/tus/tusd/v2/pkg/handler"
)

// coming is an upload of a client's page that has not come in whole.
type coming struct {
	page string
	size int64
	at   time.Time // when something came of it last
}

// justBegun is within what time an upload that may be created is in the folder.
const justBegun = 30 * time.Second

// coming are the uploads by clients' pages that are in the folder, or about to be.
func (u *Uploads) coming(ctx context.Context) (map[string]coming, error) {
	infos, err := filepath.Glob(filepath.Join(u.Dir, "*.info"))
	if err != nil {
		return nil, err
	}
	out := map[string]coming{}
	for id, c := range u.begun {
		if time.Since(c.at) > justBegun {
			delete(u.begun, id)
			continue
		}
		out[id] = c
	}
	for _, p := range infos {
		id := strings.TrimSuffix(filepath.Base(p), ".info")
		up, err := u.files.GetUpload(ctx, id)
		if err != nil {
			continue // it is whole and was handed over meanwhile
		}
		info, err := up.GetInfo(ctx)
		if err != nil || info.MetaData["page"] == "" {
			continue
		}
		c := coming{page: info.MetaData["page"], size: info.Size}
		if st, err := os.Stat(filepath.Join(u.Dir, id)); err == nil {
			c.at = st.ModTime()
		}
		out[id] = c
	}
	return out, nil
}

// mayComeByPage tells whether a client's page takes one more upload, beside all that are on
// their way, and gives it its name.
func (u *Uploads) mayComeByPage(ctx context.Context, page string, size int64) (id string, err error) {
	u.creating.Lock()
	defer u.creating.Unlock()
	all, err := u.coming(ctx)
	if err != nil {
		return "", err
	}
	var by, total intake.Load
	for _, c := range all {
		total.Files, total.Bytes = total.Files+1, total.Bytes+c.size
		if c.page == page {
			by.Files, by.Bytes = by.Files+1, by.Bytes+c.size
		}
	}
	if err := u.Intake.Pages.MayReceiveByPage(ctx, page, size, by, total); err != nil {
		return "", err
	}
	if store.Free(u.Dir)-total.Bytes-size < leftToStudio {
		return "", errNoRoom
	}
	id = rand.Text()
	u.begun[id] = coming{page, size, time.Now()}
	return id, nil
}

// leftToStudio is the room that clients' pages leave to the studio itself, in bytes.
const leftToStudio = 2 << 30

// errNoRoom means that the disk is nearly full.
var errNoRoom = tusd.NewError("ERR_FULL", "The studio’s disk has no room for this file.",
	http.StatusInsufficientStorage)
