package web

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

type pieceView struct {
	Reasons  []*queryView // with which the leg in view came back
	ReadTo   int          // the edit up to which the one who looks had read it the time before
	Changed  bool         // it has changed since
	Checks   checksView
	Attached attachedView
	Margin   marginView // what stands beside the copy
	Verdicts verdictsView
	Follows  string // follow, mute, or as usual
	Now      int64  // on the house's clock, in milliseconds
	Me       int64
	Sheet    planning.Sheet
	Row      store.Row
	Kind     string // "No. 118 · Feature · Web"
	Pace     string
	Tone     string
	Reads    bool   // whoever looks works on it, or is of the house
	Says     string // the cause of a shortfall, when it goes out, or where it went
	Owner    string
	GoesOut  string
	Chart    chart
	Strip    strip
	Legs     []pieceLeg
	Shown    []pieceLeg // those listed
	Mine     *pieceLeg  // the leg the main buttons are about
	Over     bool       // all legs passed
	BackTo   []choice
	Owners   []store.Person
	Copy     copyView
	Log      []logLine
	Address  string // of the published page
	Problem  string
	Since    []string
	Field    string
	Typed    url.Values
	Opened   string // the form that was sent and refused
	Date     string
	Time     string
	Odds     *oddsView
	Answers  []answerView
	Swaps    []choice // pieces to swap days with
	Labels   []labelView
	Brief    *briefView // nil for outside reviewers
}

type copyView struct {
	HTML    template.HTML
	JSON    string
	Version int
	Words   int
	By      string
	Seq     int  // the last edit in it
	Edits   bool // the one who looks writes or proposes
	Writes  bool
	Because string // why they only propose
	Empty   bool
}

func (s *Server) piece(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	if c.Request().Header.Get("X-Pieces") != "" {
		v, err := s.pieceFor(c, id)
		if err != nil {
			return err
		}
		return s.showView(c, "piece", v.Row.Title, v, []part{{Key: "go", Template: "piece-go", Data: v}, {Key: "before", Template: "piece-before", Data: v}})
	}
	if err := s.Newsroom.Notify.ReadAbout(c.Request().Context(), me(c).ID, id); err != nil {
		return err
	}
	return s.showPiece(c, http.StatusOK, id, nil, nil)
}

func pieceID(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return 0, newsroom.ErrNotFound
	}
	return id, nil
}

// pieceFor makes the view of a piece for whoever looks at it.
func (s *Server) pieceFor(c *echo.Context, id int64) (pieceView, error) {
	ctx := c.Request().Context()
	sheet, err := s.Newsroom.Planning.Sheet(ctx, me(c).ID, id)
	if err != nil {
		return pieceView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return pieceView{}, err
	}
	v := viewOfPiece(b, sheet, me(c).ID)
	if sheet.Inside {
		brief, err := s.briefFor(c, id)
		if err != nil {
			return v, err
		}
		brief.Research.Back = fmt.Sprintf("/pieces/%d#research", id)
		v.Brief = &brief
	}
	v.Now = s.Newsroom.Clock().UnixMilli()
	if v.Follows, err = s.Newsroom.Notify.Following(ctx, me(c).ID, id); err != nil {
		return v, err
	}
	if v.Verdicts, err = s.verdicts(ctx, b, me(c).ID, &v.Row.Piece); err != nil {
		return v, err
	}
	if v.Reads {
		if v.ReadTo, err = s.Newsroom.Copyroom.ReadTo(ctx, me(c).ID, id, sheet.Seq); err != nil {
			return v, err
		}
		v.Changed = v.ReadTo >= 0 && v.ReadTo < sheet.Seq
	}
	if v.Reads {
		if v.Margin, err = s.marginFor(c, id); err != nil {
			return v, err
		}
		if v.Margin.MayAsk {
			if v.Checks, err = s.checksFor(c, id); err != nil {
				return v, err
			}
		}
		if v.Mine != nil {
			v.Reasons = v.Margin.reasons(v.Mine.Key, v.Mine.Run)
		}
	}
	if sheet.Inside {
		if v.Attached, err = s.attachedFor(c, b, sheet.Row); err != nil {
			return v, err
		}
	}
	v.Swaps, err = s.swaps(c, b, sheet)
	return v, err
}

// showPiece shows a piece; after a refused act with the reason and what was typed.
func (s *Server) showPiece(c *echo.Context, status int, id int64, refusal *relay.Refusal, typed url.Values) error {
	v, err := s.pieceFor(c, id)
	if err != nil {
		return err
	}
	v.Answers = newAnswers(v.Sheet, typed, typed.Get("form") == "fields")
	if refusal != nil {
		v.Problem, v.Since, v.Field, v.Typed, v.Opened = refusal.Text, nil, refusal.Field, typed, typed.Get("form")
		if errors.Is(refusal, relay.ErrChanged) {
			v.Since = refusal.Unmet
		}
	}
	return s.show(c, status, "piece", v.Row.Title, v)
}

// mostSwaps is with how many pieces swapping days is offered.
const mostSwaps = 40

// swaps lists the coming pieces of a channel with which a piece could swap days.
func (s *Server) swaps(c *echo.Context, b *newsroom.Setup, sheet planning.Sheet) ([]choice, error) {
	r := sheet.Row
	if !sheet.May[relay.ActPlan] || r.Stage != relay.UnderWay || r.GoesOut == 0 {
		return nil, nil
	}
	_, board, err := s.Newsroom.Board(c.Request().Context())
	if err != nil {
		return nil, err
	}
	var others []*relay.Piece
	for _, p := range board.Pieces {
		if p.ID != r.ID && p.ChannelID == r.ChannelID && p.Stage == relay.UnderWay && p.GoesOut > board.Now {
			others = append(others, p)
		}
	}
	slices.SortStableFunc(others, func(x, y *relay.Piece) int { return int(x.GoesOut - y.GoesOut) })
	var out []choice
	for _, p := range others[:min(mostSwaps, len(others))] {
		out = append(out, choice{strconv.FormatInt(p.ID, 10), b.At(p.GoesOut, p.DeskID) + ", " + p.Title})
	}
	return out, nil
}

func viewOfPiece(b *newsroom.Setup, sheet planning.Sheet, who int64) pieceView {
	r := sheet.Row
	v := pieceView{
		Me: who, Sheet: sheet, Row: r, Pace: newsroom.SayPace(r.Standing), Tone: tone(r.Standing), Owner: b.Person(r.Owner).Name, GoesOut: b.At(r.GoesOut, r.DeskID),
		Kind:  fmt.Sprintf("No. %d · %s · %s", r.Number, b.Format(r.FormatID).Name, b.Channel(r.ChannelID).Name),
		Chart: newChart(b, sheet), Strip: newStrip(b, r, wideStrip), Over: r.Ready(), Owners: b.Owners(r.DeskID), Typed: url.Values{},
	}
	for _, l := range sheet.Legs {
		v.Legs = append(v.Legs, newPieceLeg(b, sheet, l, b.Person(who)))
	}
	v.Labels = labelsOf(b, r)
	v.Reads = sheet.May[relay.ActRead]
	v.Mine = mainLeg(v.Legs, who)
	if v.Mine != nil && !v.Reads && !v.Mine.MayTake { // how far others are is not for who only could take a leg
		v.Mine = nil
	}
	for _, l := range v.Legs {
		if sheet.Whole || l.Holder == who || l.MayTake { // others see only their own part of the way
			v.Shown = append(v.Shown, l)
		}
		if l.State == relay.Passed {
			v.BackTo = append(v.BackTo, choice{Key: l.Key, Name: l.Name + ", " + l.Who})
		}
	}
	slices.Reverse(v.BackTo)
	v.Copy = newCopyView(b, sheet)
	v.Odds = newOdds(sheet)
	v.Log = logLines(b, sheet.Log)
	if v.Says = says(b, r); !v.Reads {
		v.Says = "Goes out " + b.At(r.GoesOut, r.DeskID) + "."
		if r.GoesOut == 0 {
			v.Says = "It has no day yet."
		}
	}
	if r.Stage == relay.Out {
		v.Address = "/site/" + b.Channel(r.ChannelID).Slug + "/" + newsroom.Slug(r.Title, r.Number)
	}
	if r.GoesOut != 0 {
		at := r.GoesOut.In(b.Zones[r.DeskID])
		v.Date, v.Time = at.Format("2006-01-02"), at.Format("15:04")
	}
	return v
}

// labelView is a fact of a piece that is changed by itself.
type labelView struct{ Key, Name, Value string }

func labelsOf(b *newsroom.Setup, r store.Row) []labelView {
	return []labelView{
		{"topic", "Topic", b.Topic(r.TopicID).Name}, {"campaign", "Campaign", b.Campaign(r.CampaignID).Name}, {"priority", "Priority", newsroom.SayPriority(r.Priority)},
		{"tags", "Tags", strings.Join(r.TagList(), ", ")},
	}
}

// says is the sentence under the title: where the piece stands.
func says(b *newsroom.Setup, r store.Row) string {
	at := b.At(r.GoesOut, r.DeskID)
	switch {
	case r.Stage == relay.Out:
		return "It went out " + b.At(r.OutAt, r.DeskID) + "."
	case r.Stage == relay.Withdrawn:
		return "It was withdrawn and is not to be read anywhere."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut && r.Ready():
		return "It is ready, but its time, " + at + ", is past. Send it out now or give it another day."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut:
		return "It was not ready at its time, " + at + ", and did not go out."
	case r.Ready() && r.GoesOut == 0:
		return "All legs are passed. Give it a day, or send it out now."
	case r.Ready():
		return "All legs are passed. It goes out by itself " + at + "."
	case r.Pace == plan.Short || r.Pace == plan.NoRoom:
		return b.SayCause(r) + ". Goes out " + at + "."
	case r.Pace == plan.Unplaced && r.CouldGoOut != 0:
		return "No day yet. The earliest it could go out is " + b.At(r.CouldGoOut, r.DeskID) + "."
	case r.Pace == plan.Unplaced:
		return "No day yet."
	}
	return "Goes out " + at + "."
}

// mainLeg chooses the leg that the main buttons are about: a running leg of
// one's own, otherwise the first that one may pass, otherwise the first that runs.
func mainLeg(legs []pieceLeg, who int64) *pieceLeg {
	var best *pieceLeg
	rank := func(l *pieceLeg) int {
		switch {
		case l.Holder == who:
			return 3
		case l.May[relay.ActPass]:
			return 2
		}
		return 1
	}
	for i := range legs {
		if l := &legs[i]; l.State == relay.Running && (best == nil || rank(l) > rank(best)) {
			best = l
		}
	}
	return best
}

func newCopyView(b *newsroom.Setup, s planning.Sheet) copyView {
	v := copyView{
		HTML: toHTML(s.Text.Clean()), JSON: string(s.Text.JSON()), Version: s.Row.CopyVersion, Words: s.Copy.Words,
		Seq: s.Seq, Edits: s.Hand.By != 0, Writes: s.Hand.Writes, Because: s.Hand.Because, Empty: s.Copy.Words == 0,
	}
	if s.Copy.Version > 0 {
		v.By = fmt.Sprintf("saved %s by %s", b.At(s.Copy.At, s.Row.DeskID), b.Name(s.Copy.By))
	}
	return v
}

// spanHTML renders words of a copy.
func spanHTML(o copy.Op) template.HTML { return template.HTML(format.Span(o)) }

// toHTML renders a copy; package format escapes everything typed.
func toHTML(t copy.Text) template.HTML { return template.HTML(format.HTML(t)) }

// choice is an entry of a select.
type choice struct{ Key, Name string }
