package demo

import (
	"context"
	"hash/fnv"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
)

// labels are what scripted pieces are about, the campaign they belong to, and how
// they are marked; topics and campaigns by their place in the lists, from one.
var labels = map[string]struct {
	topic    ref.Topic
	campaign ref.Campaign
	priority relay.Priority
	tags     string
}{
	"The last tide mill on the Severn":           {1, 2, relay.First, "tide mills, Severn, cover"},
	"Rye, slowly":                                {2, 3, relay.Usual, "rye"},
	"Winter bread letter":                        {3, 0, relay.Usual, ""},
	"How a stone is dressed":                     {1, 2, relay.High, "millstones"},
	"Flour dust and lungs: what the miller knew": {4, 0, relay.High, "health, archive"},
	"A baker’s year in twelve loaves":            {4, 3, relay.Usual, "Welsh"},
	"Six ovens, one village":                     {3, 0, relay.Usual, "ovens"},
	"The night boat to Skelder":                  {4, 2, relay.Usual, "rivers, archive"},
	"Millstone grit":                             {1, 2, relay.Usual, "millstones"},
	"Spelt, a second look":                       {2, 0, relay.Usual, "spelt, corrections"},
	"Barley bannocks":                            {3, 0, relay.Usual, "barley"},
	"Soda bread four ways":                       {3, 0, relay.CanWait, "soda bread"},
	"Wholemeal at school":                        {3, 3, relay.Usual, "schools"},
	"Three schools bake together":                {3, 3, relay.Usual, "schools"},
	"Bolting cloth, thread by thread":            {1, 0, relay.CanWait, "archive"},
	"The miller’s tithe":                         {1, 0, relay.Usual, "archive"},
	"Sourdough after a flood":                    {3, 2, relay.Usual, "rivers"},
	"The night shift at Quern Street":            {4, 0, relay.Usual, "ovens"},
	"Bread without a mill":                       {1, 0, relay.Usual, "roller flour"},
	"Who owns the weir":                          {4, 2, relay.Usual, "rivers"},
	"A letter from the grain fair":               {2, 0, relay.Usual, ""},
	"Old Weir’s first harvest":                   {2, 1, relay.Usual, "emmer"},
}

// about chooses the topic and campaign of a piece.
func about(d planning.Draft, k kind) (topic ref.Topic, campaign ref.Campaign) {
	if l, ok := labels[d.Title]; ok {
		return l.topic, l.campaign
	}
	sum := fnv.New32a()
	sum.Write([]byte(d.Title)) // never fails
	n := int64(sum.Sum32())
	switch k.name {
	case "Recipe":
		topic = 3
	case "Audio":
		topic = 4
	case "Feature":
		topic = []ref.Topic{1, 1, 2, 4}[n%4]
	case "Partner piece":
		topic = []ref.Topic{2, 3}[n%2]
	}
	on := d.GoesOut.Date(time.UTC)
	for i, c := range campaigns {
		if on >= c.FromDay && on <= c.ToDay && c.ToDay < day.MomentOf(Start).Date(time.UTC) && n%3 == 0 && topic != 4 {
			campaign = ref.Campaign(i + 1)
		}
	}
	return topic, campaign
}

// label gives a scripted piece its priority and tags.
func (p *player) label(ctx context.Context, s *story, title string) error {
	l, ok := labels[title]
	if !ok || l.priority == relay.Usual && l.tags == "" {
		return nil
	}
	tags := strings.TrimSpace(l.tags)
	return p.h.Planning.EditPieces(ctx, s.owner, []planning.Edit{{Piece: s.id, Priority: &l.priority, Tags: &tags}})
}
