package views

import (
	"slices"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

var staffColumns = []string{"owner", "person", "desk", "left", "campaign", "priority", "tags", "topic"}

var paces = []kit.Option{
	{Value: "", Name: "Any pace"}, {Value: "running", Name: "Under way"}, {Value: string(plan.Short), Name: "Short"}, {Value: string(plan.NoRoom), Name: "No room"}, {Value: string(plan.InHand), Name: "In hand"}, {Value: "quiet", Name: "Quiet"},
	{Value: "open", Name: "Nobody has it"}, {Value: "missed", Name: "Missed its time"}, {Value: string(plan.Ready), Name: "Ready"}, {Value: string(plan.Unplaced), Name: "No day"}, {Value: string(plan.Out), Name: "Out"}, {Value: string(plan.Withdrawn), Name: "Withdrawn"},
}

// listColumns are the facts that somebody may see in a list.
func listColumns(b *newsroom.Setup, d ref.Desk, s *kit.Server, who store.Person) []sift.Column {
	columns := planning.Columns(b, d)
	if who.Access.May(relay.SeeAll) {
		return columns
	}
	return slices.DeleteFunc(columns, func(c sift.Column) bool {
		return c.Field != 0 || c.Key != "person" && slices.Contains(staffColumns, c.Key)
	})
}
