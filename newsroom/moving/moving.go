// Package moving lets a desk move out, as a folder of open files, and into an empty house.
package moving

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// Room is the newsroom, with what can be done here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Page is a piece as it is written into a folder, for who reads it there.
type Page struct {
	Number                         int
	Title, Slug, Summary, Author   string
	Format, Channel, Topic, Stands string // the last is under way, out or withdrawn
	Address                        string // where it is, or was
	Out                            time.Time
	Tags                           []string
	Copy                           copy.Text
	Picture                        func(ref.File) string // where a picture lies, seen from the page; "" where it is not there
}

// Pages writes a page as a file.
type Pages func(Page) ([]byte, error)

// Sum is how much would go out.
type Sum struct {
	Pieces, Files, Bytes, Entries int
}

// Sum says how much would go out, to who may take it: a lead, who sees all of the desk anyway, fees too.
func (h Room) Sum(ctx context.Context, who ref.Person, desk ref.Desk) (Sum, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Sum{}, err
	}
	if err := mayOut(b, who, desk); err != nil {
		return Sum{}, err
	}
	var s Sum
	s.Pieces, s.Files, s.Bytes, s.Entries, err = store.HowMuch(ctx, h.DB.View(), desk)
	return s, err
}

func mayOut(b *newsroom.Setup, who ref.Person, desk ref.Desk) error {
	if !relay.MayHouse(relay.SetUpDesk, b.Who(who, desk)) || !b.SeesFees(who, desk) {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads take everything of a desk out."}
	}
	return nil
}

// TakeOut writes everything of a desk out for somebody, which stands in the logbook that they take.
func (h Room) TakeOut(ctx context.Context, by ref.Person, desk ref.Desk, to store.Folder, write Pages) (*store.Moved, error) {
	if err := h.Do(ctx, by, func(a *newsroom.Command) error {
		if err := mayOut(a.Setup, by, desk); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "took out", What: "took everything of the desk out, as a folder of open files"})
	}); err != nil {
		return nil, err
	}
	return h.Out(ctx, desk, to, write)
}

// Out writes everything of a desk but secrets, as it is in one moment.
func (h Room) Out(ctx context.Context, desk ref.Desk, to store.Folder, write Pages) (*store.Moved, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	var m *store.Moved
	err = h.DB.Snapshot(ctx, func(ctx context.Context) error {
		if m, err = store.MoveOut(ctx, h.DB, desk, to, h.Clock()); err != nil {
			return err
		}
		ids, err := store.PiecesOfDesk(ctx, h.DB, desk)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := h.page(ctx, b, id, m, to, write); err != nil {
				return fmt.Errorf("write piece %d: %w", id, err)
			}
		}
		if err := m.Put(to, "README.md", []byte(readme(m))); err != nil {
			return err
		}
		return m.Write(to)
	})
	return m, err
}

// page writes one piece as a page.
func (h Room) page(ctx context.Context, b *newsroom.Setup, id ref.Piece, m *store.Moved, to store.Folder, write Pages) error {
	row, err := store.Piece(ctx, h.DB, id)
	if err != nil {
		return err
	}
	p := Page{
		Number: row.Number, Title: row.Title, Slug: newsroom.SlugOf(&row.Piece), Summary: row.Summary, Author: b.Author(&row.Piece), Format: b.Format(row.FormatID).Name, Channel: b.Channel(row.ChannelID).Name,
		Stands: string(row.Stage), Address: row.Address, Tags: row.TagList(),
		Picture: func(f ref.File) string {
			if m.Held[f] == "" {
				return ""
			}
			return "../" + m.Held[f]
		},
	}
	if row.TopicID != 0 {
		p.Topic = b.Topic(row.TopicID).Name
	}
	if row.OutAt != 0 {
		p.Out = row.OutAt.In(b.Zones[row.DeskID])
	}
	c, err := store.CopyAt(ctx, h.DB, id, row.CopyVersion)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	} else if err == nil {
		if p.Copy, err = copy.Parse([]byte(c.Text)); err != nil {
			return err
		}
	}
	page, err := write(p)
	if err != nil {
		return err
	}
	return m.Put(to, fmt.Sprintf("pieces/%05d-%s.md", row.Number, p.Slug), page)
}

// readme says to whoever opens the folder what is in it.
func readme(m *store.Moved) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\nEverything of this desk, as it was on %s (UTC), in open files.\n\n", m.Desk, m.At.Format("2 January 2006, 15:04"))
	b.WriteString("- `pieces/`: every piece with its copy, as Markdown (CommonMark) with what is known of it before the text (YAML). For reading, and for other programs.\n")
	b.WriteString("- `files/`: pictures, recordings and what else was sent along, as they came.\n")
	b.WriteString("- `tables/`: everything, exactly: a table in a file, as CSV (RFC 4180, UTF-8, lines end with a line feed). Columns ending in `_id`, and those named after people, hold the number in the first column of another table; 0 is none. Days and times are written as ISO 8601; which columns hold them says `" + store.MovedList + "`.\n")
	b.WriteString("- `" + store.MovedList + "`: what is in the folder, with the SHA-256 of every file.\n\n")
	b.WriteString("Not in it are passwords, private links, secret addresses, tokens, and the secrets of channels, chats and programs that are told.\n\n")
	b.WriteString("Spreadsheets may take a cell that begins with `=` for a formula: open the tables as text. To bring the desk into an empty house:\n\n    greenbaton import THIS-FOLDER --data NEW-FOLDER\n\n")
	b.WriteString("| table | rows | what it holds |\n|---|---|---|\n")
	for _, t := range m.Tables {
		fmt.Fprintf(&b, "| [%s](%s) | %d | %s |\n", t.Name, t.File, t.Rows, t.Says)
	}
	return b.String()
}

// Came is what is said once a desk has moved in.
type Came struct {
	Desk     string `json:"desk"`
	Pieces   int    `json:"pieces"`
	Files    int    `json:"files"`
	Entries  int    `json:"entries"`  // of the logbook
	Chain    bool   `json:"chain"`    // whether they came as one chain from the first
	Mail     string `json:"mail"`     // of the lead who can sign in
	Password string `json:"password"` // theirs
}

// In makes the data of an empty house from a folder that Out wrote, in a folder that has no data. The
// first lead of the desk gets a password; everybody else gets one from a lead.
func In(ctx context.Context, from fs.FS, dir string, now time.Time) (c Came, err error) {
	m, chain, err := store.MoveIn(ctx, from, dir)
	if err != nil {
		return c, err
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		return c, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	set, err := store.LoadReference(ctx, db)
	if err != nil {
		return c, fmt.Errorf("what came cannot be read as a desk: %w", err)
	}
	if _, err := newsroom.NewSetup(set); err != nil {
		return c, fmt.Errorf("what came cannot be read as a desk: %w", err)
	}
	people := slices.Clone(set.People)
	slices.SortFunc(people, func(x, y store.Person) int { return int(x.ID - y.ID) })
	i := slices.IndexFunc(people, func(p store.Person) bool { return p.SignsIn() && p.Access.May(relay.SetUpDesk) })
	if i < 0 || len(set.Desks) != 1 {
		return c, errors.New("what came has no lead who can sign in; make somebody a lead where it came from, and write it out once more")
	}
	c = Came{Desk: m.Desk, Pieces: rowsOf(m, "piece"), Files: rowsOf(m, "file"), Entries: rowsOf(m, "logbook"), Chain: chain, Mail: people[i].Mail, Password: rand.Text()[:16]}
	hash, err := account.HashPassword(c.Password)
	if err != nil {
		return c, err
	}
	err = db.Write(ctx, func(tx *store.Tx) error {
		if err := tx.PutPassword(ctx, people[i].ID, hash); err != nil {
			return err
		}
		what := fmt.Sprintf("moved %s in from a folder of %s, with %s of its logbook", m.Desk, m.At.Format("2 January 2006"), english.Counted(c.Entries, "line"))
		if !chain {
			what += ", which were a part of a larger logbook and are linked anew"
		}
		return tx.Log(ctx, store.Entry{At: day.MomentOf(now), DeskID: set.Desks[0].ID, Act: "moved in", What: what})
	})
	return c, err
}

// rowsOf gives how many rows came of a table.
func rowsOf(m *store.Moved, table string) int {
	i := slices.IndexFunc(m.Tables, func(t store.MovedTable) bool { return t.Name == table })
	if i < 0 {
		return 0
	}
	return m.Tables[i].Rows
}
