package cast

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/doc"
)

func TestNamesOrderAsPeopleCount(t *testing.T) {
	names := []string{"IMG_10.jpg", "img_2.jpg", "IMG_1.jpg", "a 007.jpg", "a 7b.jpg", "z.jpg", "2.jpg", "10.jpg"}
	slices.SortFunc(names, CompareNames)
	assert.Equal(t, []string{"2.jpg", "10.jpg", "a 007.jpg", "a 7b.jpg", "IMG_1.jpg", "img_2.jpg", "IMG_10.jpg", "z.jpg"}, names)
}

func TestOrderByCaptureTimeThenName(t *testing.T) {
	at := func(m int) time.Time { return time.Date(2026, 9, 12, 10, m, 0, 0, time.UTC) }
	media := []doc.Media{
		{ID: "d", Name: "scan10.jpg"}, {ID: "c", Name: "scan9.jpg"},
		{ID: "b", Name: "x.jpg", Captured: at(5)}, {ID: "a", Name: "y.jpg", Captured: at(1)}, {ID: "a2", Name: "b.jpg", Captured: at(5)},
	}
	Order(media)
	var ids []string
	for _, m := range media {
		ids = append(ids, string(m.ID))
	}
	assert.Equal(t, []string{"a", "a2", "b", "c", "d"}, ids)
}
