package piece

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	briefpage "greenbaton/web/brief"
	copypage "greenbaton/web/copy"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
	"greenbaton/web/logbook"
	reviewpage "greenbaton/web/review"
)

type pieceView struct {
	Sheeted  bool                  // its release sheet is open: its last legs run, or are passed
	After    afterView             // what is done when it is out
	Sketch   bool                  // it is looked at in a sketch, where nothing but the plan is tried
	Reasons  []*copypage.QueryView // with which the leg in view came back
	ReadTo   int                   // the edit up to which the one who looks had read it the time before
	Changed  bool                  // it has changed since
	Checks   copypage.ChecksView
	Attached attachedView
	Margin   copypage.MarginView // what stands beside the copy
	Verdicts reviewpage.VerdictsView
	Lifts    string   // what falls away when it is sent back
	Unread   ref.Item // the newest unread line of their inbox about it, 0 for none
	Follows  string   // follow, mute, or as usual
	Now      int64    // on the house's clock, in milliseconds
	Me       ref.Person
	Sheet    planning.Sheet
	Row      store.Row
	Kind     string // "No. 118 · Feature · Web"
	Pace     string
	Tone     string
	Reads    bool   // whoever looks works on it, or is of the house
	Says     string // the cause of a shortfall, when it goes out, or where it went
	Owner    string
	GoesOut  string
	Chart    draw.Chart
	Strip    draw.Strip
	Legs     []pieceLeg
	Shown    []pieceLeg // those listed
	Mine     *pieceLeg  // the leg the main buttons are about
	Over     bool       // all legs passed
	Parked   bool       // it has not begun
	BackTo   []kit.Choice
	Owners   []store.Person
	Copy     copyView
	Log      []logbook.LogLine
	Address  string // of the published page
	Problem  string
	Since    []string
	Field    string
	Typed    url.Values
	Opened   string // the form that was sent and refused
	Date     string
	Time     string
	Odds     *draw.OddsView
	Answers  []kit.AnswerView
	Swaps    []kit.Choice // pieces to swap days with
	Labels   []kit.LabelView
	Steps    kit.StepsView // that belong to no leg
	Did      didView
	Fees     feesView
	Regular  string               // the regular that made it, and its number there
	Brief    *briefpage.BriefView // nil for outside reviewers
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

func (s *Section) piece(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	if c.Request().Header.Get("X-Pieces") != "" {
		v, err := s.pieceFor(c, id)
		if err != nil {
			return err
		}
		return s.ShowView(c, "piece", v.Row.Title, v, []kit.Part{{Key: "go", Template: "piece-go", Data: v}, {Key: "before", Template: "piece-before", Data: v}})
	}
	return s.showPiece(c, http.StatusOK, id, nil, nil)
}

// opened notes that somebody has a piece before them: what their inbox says of it is read.
func (s *Section) opened(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	upTo, err := strconv.ParseInt(c.FormValue("seq"), 10, 64)
	if err != nil {
		return newsroom.Invalid("seq", "Say up to which line of the inbox it was read. Reload the page.")
	}
	unread, err := s.Notify.ReadAbout(c.Request().Context(), kit.Me(c).ID, id, ref.Item(upTo))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int{"unread": unread})
}

// pieceFor makes the view of a piece for whoever looks at it, all of it as of one moment.
func (s *Section) pieceFor(c *echo.Context, id ref.Piece) (v pieceView, err error) {
	asked := c.Request()
	defer c.SetRequest(asked)
	err = s.Kernel.Snapshot(asked.Context(), func(ctx context.Context) (err error) {
		c.SetRequest(asked.WithContext(ctx))
		v, err = s.readPiece(c, id)
		return err
	})
	return v, err
}

func (s *Section) readPiece(c *echo.Context, id ref.Piece) (pieceView, error) {
	ctx := c.Request().Context()
	sheet, err := s.Planning.Sheet(ctx, kit.Me(c).ID, id)
	if err != nil {
		return pieceView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return pieceView{}, err
	}
	v := viewOfPiece(b, sheet, kit.Me(c).ID)
	if err := s.where(c, b, &v); err != nil {
		return v, err
	}
	if err := s.derived(c, &v); err != nil {
		return v, err
	}
	if err := s.steps(c, b, &v); err != nil {
		return v, err
	}
	if err := s.did(c, b, &v); err != nil {
		return v, err
	}
	r, n, err := s.Regulars.Of(ctx, kit.Me(c).ID, id)
	if err != nil {
		return v, err
	}
	if r.ID != 0 {
		v.Regular = fmt.Sprintf("No. %d of %s", n, r.Name)
	}
	if sheet.Inside {
		brief, err := s.BriefPage.BriefFor(c, id)
		if err != nil {
			return v, err
		}
		brief.Research.Back = fmt.Sprintf("/pieces/%d#research", id)
		v.Brief = &brief
	}
	v.Now = int64(s.Newsroom.Now()) * 1000
	if v.Unread, err = s.Notify.UnreadAbout(ctx, kit.Me(c).ID, id); err != nil {
		return v, err
	}
	if v.Follows, err = s.Notify.Following(ctx, kit.Me(c).ID, id); err != nil {
		return v, err
	}
	if v.Verdicts, err = s.ReviewPage.Verdicts(ctx, b, kit.Me(c).ID, &v.Row.Piece); err != nil {
		return v, err
	}
	if v.Reads {
		if v.ReadTo, err = s.Copyroom.ReadTo(ctx, kit.Me(c).ID, id, sheet.Seq); err != nil {
			return v, err
		}
		v.Changed = v.ReadTo >= 0 && v.ReadTo < sheet.Seq
	}
	if v.Reads {
		if v.Margin, err = s.CopyPage.MarginFor(c, id); err != nil {
			return v, err
		}
		if v.Margin.MayAsk {
			if v.Checks, err = s.CopyPage.ChecksFor(c, id); err != nil {
				return v, err
			}
		}
		if v.Mine != nil {
			v.Reasons = v.Margin.Reasons(v.Mine.Key, v.Mine.Run)
		}
	}
	if sheet.Inside {
		if v.Attached, err = s.attachedFor(c, b, sheet.Row); err != nil {
			return v, err
		}
	}
	if v.Fees, err = s.feesFor(c, b, &sheet.Row); err != nil {
		return v, err
	}
	v.Swaps, err = s.swaps(c, b, sheet)
	return v, err
}

// showPiece shows a piece; after a refused act with the reason and what was typed.
func (s *Section) showPiece(c *echo.Context, status int, id ref.Piece, refusal *relay.Refusal, typed url.Values) error {
	v, err := s.pieceFor(c, id)
	if err != nil {
		return err
	}
	v.Answers = kit.NewAnswers(v.Sheet, typed, typed.Get("form") == "fields")
	if refusal != nil {
		v.Problem, v.Since, v.Field, v.Typed, v.Opened = refusal.Text, nil, refusal.Field, typed, typed.Get("form")
		switch v.Opened {
		case "did":
			v.Did.Outcome.Refused(typed, v.Field)
		case "aim", "figure":
			v.Did.Form, v.Did.Opened, v.Did.Field = typed, v.Opened, v.Field
		}
		if v.Opened == "step" {
			v.Steps.Typed, v.Steps.Field, v.Steps.Opened = typed, v.Field, true
		}
		v.After.Typed, v.After.Opened, v.After.Field = typed, v.Opened, v.Field
		if v.Opened == "agree" {
			v.Fees.Typed, v.Fees.Field, v.Fees.Bad = typed, v.Field, kit.Int[ref.Fee](typed, "fee")
		}
		if errors.Is(refusal, relay.ErrChanged) {
			v.Since = refusal.Unmet
		}
	}
	return s.Show(c, status, "piece", v.Row.Title, v)
}

// mostSwaps is with how many pieces swapping days is offered.
const mostSwaps = 40

// swaps lists the coming pieces of a channel with which a piece could swap days.
func (s *Section) swaps(c *echo.Context, b *newsroom.Setup, sheet planning.Sheet) ([]kit.Choice, error) {
	r := sheet.Row
	if !sheet.May[relay.ActPlan] || r.Stage != relay.UnderWay || r.GoesOut == 0 {
		return nil, nil
	}
	_, board, err := s.Kernel.Board(c.Request().Context())
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
	var out []kit.Choice
	for _, p := range others[:min(mostSwaps, len(others))] {
		out = append(out, kit.Choice{Key: kit.Str(p.ID), Name: b.At(p.GoesOut, p.DeskID) + ", " + p.Title})
	}
	return out, nil
}

func viewOfPiece(b *newsroom.Setup, sheet planning.Sheet, who ref.Person) pieceView {
	r := sheet.Row
	v := pieceView{
		Me: who, Sheet: sheet, Row: r, Pace: newsroom.SayPace(r.Standing), Tone: kit.Tone(r.Standing), Owner: b.Person(r.Owner).Name, GoesOut: b.AtOn(r.GoesOut, r.DeskID, sheet.Today),
		Kind:  fmt.Sprintf("No. %d · %s · %s", r.Number, b.Format(r.FormatID).Name, b.Channel(r.ChannelID).Name),
		Chart: draw.NewChart(b, sheet), Strip: draw.NewStrip(b, r, draw.WideStrip), Over: r.Ready(), Parked: r.Parked(), Owners: b.Owners(r.DeskID), Typed: url.Values{},
	}
	for _, l := range sheet.Legs {
		v.Legs = append(v.Legs, newPieceLeg(b, sheet, l, b.Person(who)))
	}
	for _, l := range v.Legs {
		v.Sheeted = v.Sheeted || l.State == relay.Running && r.Final(l.Key)
	}
	v.Sheeted = (v.Sheeted || v.Over) && sheet.Inside && r.Stage != relay.Withdrawn && r.Stage != relay.Out
	v.Labels, v.Lifts = labelsOf(b, r), newsroom.SayLifts(&r.Piece)
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
			v.BackTo = append(v.BackTo, kit.Choice{Key: l.Key, Name: l.Name + ", " + l.Who})
		}
	}
	slices.Reverse(v.BackTo)
	v.After = newAfterView(b, sheet, b.Person(who))
	v.Copy = newCopyView(b, sheet)
	v.Odds = draw.NewOdds(sheet)
	v.Log = logbook.LogLines(b, sheet.Log)
	r.WorkedOut = sheet.Today // by which it is said how long ago it went out
	if v.Says = kit.Says(b, r); !v.Reads {
		v.Says = "Goes out " + b.At(r.GoesOut, r.DeskID) + "."
		if r.GoesOut == 0 {
			v.Says = "It has no day yet."
		}
	}
	if r.Stage == relay.Out {
		v.Address = newsroom.AddressOf(b, "", &r.Piece)
	}
	if r.GoesOut != 0 {
		at := r.GoesOut.In(b.Zones[r.DeskID])
		v.Date, v.Time = at.Format("2006-01-02"), at.Format("15:04")
	}
	return v
}

func labelsOf(b *newsroom.Setup, r store.Row) []kit.LabelView {
	return []kit.LabelView{
		{Key: "topic", Name: "Topic", Value: b.Topic(r.TopicID).Name}, {Key: "campaign", Name: "Campaign", Value: b.Campaign(r.CampaignID).Name}, {Key: "priority", Name: "Priority", Value: newsroom.SayPriority(r.Priority)},
		{Key: "tags", Name: "Tags", Value: strings.Join(r.TagList(), ", ")},
	}
}

// mainLeg chooses the leg that the main buttons are about: a running leg of
// one's own, otherwise the first that one may pass, otherwise the first that runs.
func mainLeg(legs []pieceLeg, who ref.Person) *pieceLeg {
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
		HTML: kit.CopyHTML(s.Text.Clean(), s.Row.ID), JSON: string(s.Text.JSON()), Version: s.Row.CopyVersion, Words: s.Copy.Words,
		Seq: s.Seq, Edits: s.Hand.By != 0, Writes: s.Hand.Writes, Because: s.Hand.Because, Empty: s.Copy.Words == 0,
	}
	if s.Copy.Version > 0 {
		v.By = fmt.Sprintf("saved %s by %s", b.At(s.Copy.At, s.Row.DeskID), b.Name(s.Copy.By))
	}
	return v
}
