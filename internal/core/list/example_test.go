package list_test

import (
	"fmt"

	"nelko/internal/core/list"
)

// A corrected list changes what it has otherwise than before, and leaves what was set by hand unless
// that is asked for.
func ExampleCompare() {
	names := list.DetailRole("names")
	held := []list.Held{
		{
			Key:    "1",
			Listed: map[list.Role]string{names: "Jon Hale"},
			Now:    map[list.Role]string{names: "Jon Hale"},
		},
		{Key: "2", Listed: map[list.Role]string{names: "Ines"}, Now: map[list.Role]string{names: "Inês"}},
		{Key: "3", Listed: map[list.Role]string{names: "Wren"}, Now: map[list.Role]string{names: "Wren"}},
	}
	c := list.Compare(held, []list.Row{
		{Key: "1", Values: map[list.Role]string{names: "John Hale"}},
		{Key: "2", Values: map[list.Role]string{names: "Ines Mota"}},
		{Key: "4", Values: map[list.Role]string{names: "Piet"}},
	})
	for _, x := range c.Changes {
		fmt.Println(x.Key, x.Was, "→", x.To, x.ByHand)
	}
	fmt.Println(len(c.New), "new,", c.Gone, "gone")
	// Output:
	// 1 Jon Hale → John Hale false
	// 2 Inês → Ines Mota true
	// 1 new, [3] gone
}

// Folders find their rows by key or name; what is only alike waits for somebody.
func ExampleFolders() {
	rows := []list.Named{{
		Key:   "101",
		Names: []string{"José Álvarez"},
	}, {Key: "102", Names: []string{"Ada Reed"}}}
	for _, m := range list.Folders([]string{"101", "7 ada reed", "Reed, Ada"}, rows) {
		fmt.Println(m.Folder, m.Row, m.Sure == list.Exact)
	}
	// Output:
	// 101 0 true
	// 7 ada reed 1 true
	// Reed, Ada 1 false
}
