package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/find"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// errNotBringing refuses lists of those who cannot make pieces.
var errNotBringing = &relay.Refusal{Reason: relay.ErrNotYours, Text: "Lists are brought in by leads and staff of the desk. Give yours to one of them."}

// LookAt takes a list for a desk, read from a file of a name, and guesses its columns;
// nothing comes in yet. It gives the id of the batch.
func (h Imports) LookAt(ctx context.Context, by ref.Person, d ref.Desk, kind bring.Kind, name string, t bring.Table) (ref.Batch, error) {
	var id ref.Batch
	err := h.Do(ctx, by, func(a *newsroom.Command) (err error) {
		if !planning.MayCreate(a.Who(d)) {
			return errNotBringing
		}
		if bring.FieldsOf(kind) == nil {
			return newsroom.Invalid("kind", "Say what the list holds: ideas, search phrases, a lineup, what went out before, or figures.")
		}
		name = copyroom.CleanName(name)
		p := BringPlan{Columns: bring.Guess(kind, t.Header, fieldsOf(a.Setup, d, kind)...)}
		if fs := a.Setup.FormatsOf(d); kind == bring.History && len(fs) == 1 { // there is no choice
			p.Format = fs[0].ID
		}
		if p.People, err = meant[ref.Person](a, a.Tx, namesKey(d)); err != nil {
			return err
		}
		if p.States, err = meant[bool](a, a.Tx, statesKey(d)); err != nil {
			return err
		}
		if orders, differ := bring.Reads(dates(t, p)); len(orders) > 0 && !differ {
			p.Order = orders[0]
		}
		sheet, err := json.Marshal(t)
		if err != nil {
			return err
		}
		plan, err := json.Marshal(p)
		if err != nil {
			return err
		}
		id, err = a.Tx.AddBatch(a, store.Batch{DeskID: d, Kind: kind, Name: name, Sheet: string(sheet), Plan: string(plan), State: store.LookedAt, By: by, At: a.Now})
		return err
	})
	return id, err
}

// dates gives the cells of the column of days, each once.
func dates(t bring.Table, p BringPlan) []string {
	at, ok := p.Columns["day"]
	if !ok {
		return nil
	}
	var out []string
	seen := map[string]bool{}
	for _, r := range t.Rows {
		if at >= 0 && at < len(r) && !seen[r[at]] {
			seen[r[at]] = true
			out = append(out, r[at])
		}
	}
	return out
}

// Bringing is a list with what becomes of its rows.
type Bringing struct {
	store.Batch
	Table  bring.Table
	Plan   BringPlan
	Rows   []BringRow
	Counts map[Fate]int
	Orders []bring.Order // in which its dates can be read, when somebody has to say
	Nobody []string      // names of people in it that nobody here has, the most frequent first
	States []StateMeant  // that its rows name, the most frequent first
	Marks  string        // the first figure in it that can be read in two ways, where somebody has to say
	Moving bool          // its rows are coming in just now
}

// Bringing gives a list and, while it is only looked at, what would become of its rows.
func (h Imports) Bringing(ctx context.Context, who ref.Person, batch ref.Batch) (Bringing, error) {
	x, err := h.batch(ctx, h.DB.View(), who, batch)
	if err != nil {
		return x, err
	}
	_, x.Moving = h.ListsIn.Load(batch)
	orders, differ := bring.Reads(dates(x.Table, x.Plan))
	if differ {
		x.Orders = orders
	}
	if x.State != store.LookedAt {
		return x, nil
	}
	err = h.readRows(ctx, &x, who)
	for _, r := range x.Rows {
		x.Counts[r.Fate]++
	}
	return x, err
}

func (h Imports) batch(ctx context.Context, r store.Reader, who ref.Person, id ref.Batch) (Bringing, error) {
	x := Bringing{Counts: map[Fate]int{}}
	b, err := h.Setup(ctx)
	if err != nil {
		return x, err
	}
	x.Batch, err = store.BatchByID(ctx, r, id)
	if errors.Is(err, store.ErrNone) || err == nil && !planning.MayCreate(b.Who(who, x.DeskID)) {
		return x, newsroom.ErrNotFound
	} else if err != nil {
		return x, err
	}
	return x, errors.Join(json.Unmarshal([]byte(x.Sheet), &x.Table), json.Unmarshal([]byte(x.Batch.Plan), &x.Plan))
}

// StateMeant is a state that rows of a list name, and whether it means that they went out.
type StateMeant struct {
	Name       string
	Rows       int
	Known, Out bool
}

// readRows says what becomes of the rows of a list as things stand.
func (h Imports) readRows(ctx context.Context, x *Bringing, who ref.Person) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	ideas, err := At(h.Newsroom).allIdeas(ctx)
	if err != nil {
		return err
	}
	now := h.Now()
	pieces, err := h.Pieces(ctx, now)
	if err != nil {
		return err
	}
	plan := x.Plan
	if plan.Order == "" && len(x.Orders) == 0 {
		plan.Order = bring.DayFirst
	}
	r := newReader(b, x.DeskID, who, now, x.Kind, plan, ideas, pieces)
	if x.Kind == bring.Figures {
		if r.paths, err = figures.At(h.Newsroom).Addressed(ctx, x.DeskID); err != nil {
			return err
		}
		r.known = func(piece ref.Piece) ([]store.Figure, error) { return store.FiguresOf(ctx, h.DB.View(), piece) }
	}
	x.Rows, x.Marks = r.read(x.Table), r.unclear
	x.Nobody = mostFrequent(r.nobody)
	for _, s := range mostFrequent(r.states) {
		m := StateMeant{Name: s, Rows: r.states[s]}
		m.Out, m.Known = r.wentOut(s)
		x.States = append(x.States, m)
	}
	return r.failed
}

// fieldsOf gives what rows of a kind can say besides on a desk: the extra fields of pieces, and the
// measures of figures.
func fieldsOf(b *newsroom.Setup, desk ref.Desk, kind bring.Kind) []bring.Field {
	var out []bring.Field
	for _, m := range b.MeasuresOf(desk) {
		if kind == bring.Figures {
			out = append(out, bring.Field{Key: measureKey(m), Name: m.Name, Names: []string{strings.Join(find.Words(m.Name), " ")}})
		}
	}
	for _, f := range b.Fields {
		if (kind == bring.Lineup || kind == bring.History) && !f.Retired && b.Format(f.FormatID).DeskID == desk {
			out = append(out, bring.Field{Key: fieldKey(f), Name: b.NameOfField(f), Names: []string{strings.Join(find.Words(f.Name), " ")}})
		}
	}
	return out
}

// fieldKey is by what a row calls an extra field.
func fieldKey(f store.Field) string { return "x" + fmt.Sprint(f.ID) }

// measureKey is by what a row calls a measure.
func measureKey(m store.Measure) string { return "m" + fmt.Sprint(m.ID) }

// Fields gives what the rows of a list can say.
func (x *Bringing) Fields(b *newsroom.Setup) []bring.Field {
	return bring.FieldsOf(x.Kind, fieldsOf(b, x.DeskID, x.Kind)...)
}

// MatchColumns says how the columns of a list are read.
func (h Imports) MatchColumns(ctx context.Context, by ref.Person, batch ref.Batch, p BringPlan) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		x, err := h.batch(a, a.Tx, by, batch)
		if err != nil {
			return err
		}
		if x.State != store.LookedAt {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This list has come in already. Bring it in again to read it in another way."}
		}
		fields := bring.FieldsOf(x.Kind, fieldsOf(a.Setup, x.DeskID, x.Kind)...)
		taken := map[int]string{}
		for k, at := range p.Columns {
			i := slices.IndexFunc(fields, func(f bring.Field) bool { return f.Key == k })
			if i < 0 || at < 0 || at >= len(x.Table.Header) {
				return newsroom.Invalid("columns", "There is no such column. Choose among those of the file.")
			}
			if other, ok := taken[at]; ok {
				return newsroom.Invalid("columns", "One column cannot be “%s” and “%s”. Take one of them away.", other, fields[i].Name)
			}
			taken[at] = fields[i].Name
		}
		for _, f := range fields {
			if _, ok := p.Columns[f.Key]; f.Needed && !ok {
				return newsroom.Invalid("columns", "Say which column is “%s”.", f.Name)
			}
		}
		if p.Format != 0 && a.Setup.Format(p.Format).DeskID != x.DeskID {
			return newsroom.Invalid("format", "Choose one of the desk's formats.")
		}
		if p.Owner != 0 && !a.Setup.Available(p.Owner, x.DeskID) {
			return newsroom.Invalid("owner", "Choose one of the desk's leads or staff.")
		}
		for name, id := range p.People {
			if id != 0 && !slices.Contains(a.Setup.Person(id).Desks, x.DeskID) {
				return newsroom.Invalid("people", "Choose somebody of the desk for “%s”.", english.Cut(name, 60))
			}
		}
		if p.Mark != "" && p.Mark != figure.Comma && p.Mark != figure.Point {
			return newsroom.Invalid("mark", "Say whether a comma or a point stands before the fraction.")
		}
		if p.People, err = alsoMeant(a, namesKey(x.DeskID), x.Plan.People, p.People); err != nil {
			return err
		}
		if p.States, err = alsoMeant(a, statesKey(x.DeskID), x.Plan.States, p.States); err != nil {
			return err
		}
		plan, err := json.Marshal(p)
		if err != nil {
			return err
		}
		x.Batch.Plan = string(plan)
		return a.Tx.SaveBatch(a, x.Batch)
	})
}

// Batches gives the last lists of a desk, the newest first, for its leads and staff.
func (h Imports) Batches(ctx context.Context, who ref.Person, d ref.Desk) ([]store.Batch, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !planning.MayCreate(b.Who(who, d)) {
		return nil, errNotBringing
	}
	return store.BatchesOf(ctx, h.DB.View(), d, 20)
}

// Rest gives the rows of a list that did not come in, or would not, with the reason as
// the first column, to be mended and brought in again.
func (x *Bringing) Rest() (header []string, rows [][]string) {
	header = append([]string{"Why it did not come in"}, x.Table.Header...)
	for i, r := range x.Rows {
		if r.Fate == RowBad || r.Fate == RowClash {
			rows = append(rows, append([]string{r.Says}, x.Table.Rows[i]...))
		}
	}
	return header, rows
}

// HowFar is how far a list is that comes in.
type HowFar struct {
	Done, Total int
	Moving      bool
}

// BringingNow says how far a list is, without reading its rows.
func (h Imports) BringingNow(ctx context.Context, who ref.Person, batch ref.Batch) (HowFar, error) {
	x, err := h.batch(ctx, h.DB.View(), who, batch)
	_, moving := h.ListsIn.Load(batch)
	return HowFar{x.Done, len(x.Table.Rows), moving}, err
}

// mostNames is how many names are asked about at once, and mostMeant how many are remembered.
const mostNames, mostMeant = 40, 2000

// mostFrequent gives what was counted, the most frequent first.
func mostFrequent(n map[string]int) []string {
	out := slices.Collect(maps.Keys(n))
	slices.SortFunc(out, func(a, b string) int {
		return cmp.Or(n[b]-n[a], strings.Compare(a, b))
	})
	return out[:min(len(out), mostNames)]
}

// namesKey is the setting in which a desk remembers who is meant by which name.
func namesKey(d ref.Desk) string { return fmt.Sprintf("names meant on desk %d", d) }

// statesKey is the setting in which a desk remembers what states of elsewhere mean.
func statesKey(d ref.Desk) string { return fmt.Sprintf("states meant on desk %d", d) }

// meant gives what is meant by words from elsewhere, as it was said before and is kept under a setting.
func meant[T any](ctx context.Context, r store.Reader, key string) (map[string]T, error) {
	text, err := store.Setting(ctx, r, key)
	if err != nil || text == "" {
		return nil, err
	}
	var out map[string]T
	return out, json.Unmarshal([]byte(text), &out)
}

// alsoMeant adds what was said of words from elsewhere to what was said of them before, in small letters,
// and remembers it under a setting while that is not too much.
func alsoMeant[T any](a *newsroom.Command, key string, before, said map[string]T) (map[string]T, error) {
	all := maps.Clone(before)
	if all == nil {
		all = map[string]T{}
	}
	for word, is := range said {
		all[strings.ToLower(word)] = is
	}
	if len(said) == 0 || len(all) > mostMeant {
		return all, nil
	}
	text, err := json.Marshal(all)
	if err != nil {
		return nil, err
	}
	return all, a.Tx.SetSetting(a, key, string(text))
}
