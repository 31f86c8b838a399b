package cast_test

import (
	"fmt"
	"time"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
)

// Material is shown in the order it was taken; what says nothing of that follows by its name, whose
// figures count as numbers.
func ExampleOrder() {
	noon := time.Date(2026, 6, 6, 12, 0, 0, 0, time.UTC)
	earlier := noon.Add(-time.Hour)
	media := []doc.Media{
		{Name: "scan 10.png"},
		{Name: "DSC_0002.jpg", Captured: noon},
		{Name: "scan 9.png"},
		{Name: "from Ines.jpg", Captured: earlier},
	}
	cast.Order(media)
	for _, m := range media {
		fmt.Println(m.Name)
	}
	// Output:
	// from Ines.jpg
	// DSC_0002.jpg
	// scan 9.png
	// scan 10.png
}
