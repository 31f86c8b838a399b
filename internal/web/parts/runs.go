package parts

import (
	"fmt"
	"strings"

	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// RunsLine is a Run as the day sheet and the list of Runs show it.
type RunsLine struct {
	ID         int64
	Name, Due  string
	Films      int
	State      string
	Strip      store.Numbers
	Path, Need string
	Kind       orders.StepKind
}

func RunLines(lines []runs.Line) (out []RunsLine) {
	for _, l := range lines {
		x := RunsLine{
			ID:    l.Run.ID,
			Name:  l.Name,
			Due:   page.Day(l.Next),
			Films: l.Films,
			Strip: l.Strip,
			Path:  fmt.Sprintf("/runs/%d", l.Run.ID),
		}
		x.stands(l)
		out = append(out, x)
	}
	return out
}

// stands says how a Run stands and what is next, in the words and by the count of its sheet.
func (x *RunsLine) stands(l runs.Line) {
	if l.Stands == nil {
		x.State, x.Kind, x.Need = fmt.Sprintf("%d of %d delivered", l.Gone, l.Films), orders.Finished,
			"Put away"
		if l.ArchivedAt == nil {
			x.Kind, x.Need = orders.NeedsHand, "No pattern"
		}
		return
	}
	st := l.Stands.Stages
	var parts []string
	for _, stage := range []runs.Stage{runs.Delivered, runs.Rendered, runs.Rendering, runs.Ready,
		runs.Reading} {
		if n := st[stage]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, stage))
		}
	}
	if asks := l.Stands.Asks(); asks != "" && st[runs.NeedsYou] == 0 {
		parts = append(parts, asks)
	}
	x.State = strings.Join(parts, ", ")
	switch {
	case l.Films == 0:
		x.Kind, x.Need = orders.NeedsHand, "No list yet"
	case st[runs.NeedsYou] > 0:
		x.Kind, x.Need = orders.NeedsHand, l.Stands.Asks()
		x.Path += "?only=1"
	case st[runs.Ready]+st[runs.Rendered] > 0:
		x.Kind, x.Need = orders.CanGo, wording.Counted(st[runs.Ready]+st[runs.Rendered], "film")+
			" ready to go on"
	case st[runs.Rendering]+st[runs.Reading] > 0:
		x.Kind, x.Need = orders.Works, wording.Counted(st[runs.Rendering]+st[runs.Reading], "film")+" at work"
	default:
		x.Kind, x.Need = orders.Finished, "All delivered"
	}
}
