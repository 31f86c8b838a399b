// Package parts has the parts that more than one page shows: an order's leaves, choices, rows of
// renders and links, kinds of disc, songs, a Run's line; in the same words wherever they stand.
package parts

import "fmt"

type Choice struct{ ID, Name string }

// Leaf is one page of an order.
type Leaf string

// The leaves. The running order stands at the order's own address.
const (
	MaterialLeaf   Leaf = "material"
	RunningLeaf    Leaf = "running-order"
	SoundtrackLeaf Leaf = "soundtrack"
	CheckLeaf      Leaf = "check"
	DeliveriesLeaf Leaf = "deliveries"
)

// LeafLink is a leaf as the head shows it.
type LeafLink struct {
	Leaf             Leaf
	Name, Path, Note string
	Key              int
	Here             bool
}

// LeafPath is the address of a leaf.
func LeafPath(orderID int64, l Leaf) string {
	if l == RunningLeaf {
		return fmt.Sprintf("/orders/%d", orderID)
	}
	return fmt.Sprintf("/orders/%d/%s", orderID, l)
}

// StepPath is where the next step of an order is done.
func StepPath(orderID int64, place string) string {
	if place == "theme" {
		return fmt.Sprintf("/orders/%d/themes", orderID)
	}
	on := map[string]Leaf{
		"material":   MaterialLeaf,
		"soundtrack": SoundtrackLeaf,
		"renders":    DeliveriesLeaf,
		"deliveries": DeliveriesLeaf,
		"proof":      DeliveriesLeaf,
		"remarks":    DeliveriesLeaf,
	}[place]
	if on == "" {
		on = RunningLeaf
	}
	return LeafPath(orderID, on) + "#" + place
}
