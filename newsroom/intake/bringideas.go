package intake

import (
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/newsroom"
)

// thought reads a row as an idea.
func (r *reader) thought(x *BringRow, row bring.Row) {
	i := idea.Idea{DeskID: r.desk, Title: row["title"], Notes: row["notes"], Links: linesOf(row["links"]), Origin: row["origin"], Tags: row["tags"], Phrase: row["phrase"], Source: sourceOf(row["source"])}
	if r.kind == bring.Phrases {
		i.Source = idea.Research
		if i.Title == "" {
			i.Title = english.UpperFirst(i.Phrase)
		}
		if x.Title = english.Cut(i.Title, 120); i.Phrase == "" {
			x.is(RowBad, "There is no search phrase in this row.")
			return
		}
	}
	if i.Origin == "" && i.Source == idea.Own && row["source"] != "" {
		i.Origin = row["source"]
	}
	for _, n := range []struct {
		key, name string
		into      *int
		scale     bool
	}{{"volume", "how often it is looked for", &i.Volume, false}, {"difficulty", "the difficulty", &i.Difficulty, false}, {"reach", "reach", &i.Reach, true}, {"fit", "fit", &i.Fit, true}, {"effort", "effort", &i.Effort, true}} {
		v, ok := row[n.key]
		if !ok {
			continue
		}
		read := bring.Whole
		if n.scale {
			read = bring.Scale
		}
		var err error
		if *n.into, err = read(v); err != nil {
			x.is(RowBad, "%s", figureBad(err, v, " for "+n.name+map[bool]string{true: "; 1 to 5 is", false: ""}[n.scale]))
			return
		}
	}
	is, err := i.Check()
	if err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	x.idea = is
	key := bring.Same(is.Title)
	if r.kind == bring.Phrases {
		key = "phrase " + bring.Same(is.Phrase)
	}
	if line, ok := r.lines[key]; ok {
		x.is(RowSame, "It stands in row %d already.", line)
		return
	}
	r.lines[key] = x.Line
	if known := r.ideas[key]; known != nil {
		if addsTo(is, known.Idea) {
			x.is(RowClash, "It is an idea already, of %s, and this row says more or something else.", r.b.Name(known.By))
		} else {
			x.is(RowSame, "It is an idea already, of %s.", r.b.Name(known.By))
		}
		return
	}
	if p := newsroom.FirstOf(r.pieces[bring.Same(is.Title)]); p != nil {
		x.is(RowClash, "There is a piece of this title, No. %d, %s.", p.Number, english.LowerFirst(newsroom.SayPace(p.Standing)))
	}
}

// addsTo reports whether an idea says something that another of the same title does not.
func addsTo(is, known idea.Idea) bool {
	for _, p := range [][2]string{{is.Notes, known.Notes}, {is.Links, known.Links}, {is.Phrase, known.Phrase}, {is.Origin, known.Origin}} {
		if p[0] != "" && p[0] != p[1] {
			return true
		}
	}
	for _, p := range [][2]int{{is.Volume, known.Volume}, {is.Difficulty, known.Difficulty}, {is.Reach, known.Reach}, {is.Fit, known.Fit}, {is.Effort, known.Effort}} {
		if p[0] != 0 && p[0] != p[1] {
			return true
		}
	}
	return slices.ContainsFunc(is.TagList(), func(t string) bool { return !slices.Contains(known.TagList(), t) })
}

// linesOf puts addresses that stand in one cell on a line each.
func linesOf(cell string) string {
	return strings.Join(strings.FieldsFunc(cell, func(r rune) bool { return r == '\n' || r == ' ' || r == ';' || r == ',' }), "\n")
}

// sourceOf gives the source that a cell names, one's own thought for another.
func sourceOf(cell string) idea.Source {
	for _, x := range idea.Sources {
		if strings.EqualFold(cell, string(x.Source)) || strings.EqualFold(cell, x.Name) || strings.EqualFold("a "+cell, x.Name) {
			return x.Source
		}
	}
	return idea.Own
}
