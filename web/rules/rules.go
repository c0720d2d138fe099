package rules

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/rules"
	"greenbaton/web/kit"
)

type rulesView struct {
	Answer kit.Sentence
	Rows   []houseRuleRow
	Lead   bool
	Said   string
}

type houseRuleRow struct {
	newsroom.HouseRule
	Did       string
	Failed    string
	Missing   string
	First     bool
	Last      bool
	SinceSays string
}

// rules lists the house rules of the desk, each as its sentence.
func (s *Section) rules(c *echo.Context) error {
	ctx, d := c.Request().Context(), kit.Here(c)
	sheet, err := s.Rules.Rules(ctx, kit.Me(c).ID, d)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := rulesView{Lead: kit.Me(c).Access.May(relay.SetUpDesk)}
	runs, did, failed, gaps := 0, 0, 0, 0
	for i, r := range sheet.Rules {
		n := sheet.Counts[r.ID]
		row := houseRuleRow{HouseRule: r, First: i == 0, Last: i == len(sheet.Rules)-1, Did: "It has done nothing yet"}
		if n.Last != 0 {
			row.Did = fmt.Sprintf("%s in thirty days, last %s", english.UpperFirst(english.Times(n.N)), b.At(n.Last, d))
		}
		if n.Failed > 0 {
			row.Failed = fmt.Sprintf("%s something of it could not be done", english.UpperFirst(english.Times(n.Failed)))
		}
		if len(r.Gaps) > 0 {
			row.Missing = r.Gaps[0].Text
			gaps++
		}
		if r.Runs() {
			row.SinceSays = "since " + b.At(r.Since, d)
			runs++
		}
		did, failed = did+n.N, failed+n.Failed
		v.Rows = append(v.Rows, row)
	}
	v.Answer = kit.Sentence{Text: "No house rule runs yet. Choose one below, try it on what happened lately, and switch it on.", Tone: "plain"}
	if runs > 0 {
		v.Answer = kit.Sentence{Text: fmt.Sprintf("%s%s. In thirty days they did something %s.", english.UpperFirst(english.Counted(runs, "rule")), english.Verb(runs, " runs", " run"), english.Times(did)), Tone: "good"}
	}
	if failed > 0 {
		v.Answer = kit.Sentence{Text: v.Answer.Text + fmt.Sprintf(" %s something could not be done.", english.UpperFirst(english.Times(failed))), Tone: "noroom"}
	}
	if gaps > 0 {
		v.Answer.Text += fmt.Sprintf(" In %s something is missing.", english.Counted(gaps, "rule"))
	}
	return s.Show(c, http.StatusOK, "rules", "House rules", v)
}

type ruleView struct {
	ID      ref.Rule
	New     bool
	On      bool
	Lead    bool
	Form    ruleForm
	Problem string
	Runs    []ruleRunRow
	Older   int64
	Days    []int
}

type ruleRunRow struct {
	When   string
	Piece  ref.Piece
	About  string
	Did    []string
	Failed bool
}

// ruleOf gives the rule of the address, a new one for "new".
func (s *Section) ruleOf(c *echo.Context, b *newsroom.Setup) (rule.Rule, error) {
	if c.Param("id") == "new" {
		return rule.Rule{DeskID: kit.Here(c), Then: []rule.Action{{}}}, nil
	}
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	r := b.HouseRule(ref.Rule(id))
	if err != nil || r.ID == 0 || r.DeskID != kit.Here(c) {
		return r.Rule, newsroom.ErrNotFound
	}
	return r.Rule, nil
}

func (s *Section) rulePage(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	r, err := s.ruleOf(c, b)
	if err != nil {
		return err
	}
	return s.showRule(c, http.StatusOK, b, r, "")
}

func (s *Section) showRule(c *echo.Context, status int, b *newsroom.Setup, r rule.Rule, problem string) error {
	v := ruleView{ID: r.ID, New: r.ID == 0, On: r.On, Lead: kit.Me(c).Access.May(relay.SetUpDesk), Problem: problem, Days: rules.TrialDays}
	v.Form = s.ruleForm(b, b.ReadRule(r))
	if r.ID != 0 {
		_, runs, err := s.Rules.RuleHistory(c.Request().Context(), kit.Me(c).ID, r.DeskID, r.ID, kit.Int[int64](c.QueryParams(), "below"), kit.PerPage)
		if err != nil {
			return err
		}
		for _, x := range runs {
			v.Runs = append(v.Runs, ruleRunRow{b.At(x.At, r.DeskID), x.PieceID, x.About, strings.Split(x.Did, "\n"), x.Failed})
		}
		if len(runs) == kit.PerPage {
			v.Older = runs[len(runs)-1].ID
		}
	}
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, status, "rule", "rule-form", v)
	}
	return s.Show(c, status, "rule", "House rule", v)
}

// saveRule keeps a rule, or only draws its form anew.
func (s *Section) saveRule(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	was, err := s.ruleOf(c, b)
	if err != nil {
		return err
	}
	r := readRule(form)
	r.ID, r.DeskID, r.Position, r.On = was.ID, was.DeskID, was.Position, was.On
	if do := form.Get("do"); do != "save" && do != "try" {
		return s.showRule(c, http.StatusOK, b, editRule(r, do), "")
	}
	id, err := s.Rules.SaveRule(ctx, kit.Me(c).ID, r)
	to, said := fmt.Sprintf("/rules/%d", id), "The rule is saved."
	if form.Get("do") == "try" {
		to, said = fmt.Sprintf("/rules/%d/try?days=30", id), ""
	} else if gaps := b.ReadRule(r).Gaps; len(gaps) > 0 {
		said = "The rule is saved, half filled: it does not run until nothing is missing."
	}
	return s.Answered(c, err, said, to, func(status int, x *relay.Refusal) error { return s.showRule(c, status, b, r, x.Text) })
}

// ruleDo switches, copies, moves or takes away a rule.
func (s *Section) ruleDo(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Rule](c)
	if err != nil {
		return err
	}
	ctx, by, d := c.Request().Context(), kit.Me(c).ID, kit.Here(c)
	said := ""
	switch form.Get("do") {
	case "on":
		err, said = s.Rules.SwitchRule(ctx, by, d, id, true), "It is switched on, and followed from now on."
	case "off":
		err, said = s.Rules.SwitchRule(ctx, by, d, id, false), "It is switched off. What it did stays."
	case "copy":
		err, said = s.Rules.CopyRule(ctx, by, d, id), "The copy is below it, switched off."
	case "up", "down":
		err = s.Rules.MoveRule(ctx, by, d, id, form.Get("do") == "up")
	case "drop":
		err, said = s.Rules.DropRule(ctx, by, d, id), "It is taken away. What it did stays in the logbook."
	default:
		return newsroom.ErrNotFound
	}
	return s.Answered(c, err, said, kit.Back(form, "/rules"), func(status int, x *relay.Refusal) error {
		s.Say(c, "%s", x.Text)
		return c.Redirect(http.StatusSeeOther, kit.Back(form, "/rules"))
	})
}

// trials are the trials that run or ran just now; one that takes longer is asked after by
// the page that waits for it.
type trials struct {
	mu  sync.Mutex
	all map[string]*trialJob
}

type trialJob struct {
	begun    time.Time
	read, of int
	done     chan struct{}
	trial    rules.Trial
	err      error
}

// trialKept is for how long the outcome of a trial is kept for the page that waits for it.
const trialKept = 2 * time.Minute

// begin gives the trial of a key, which do begins where there is none.
func (t *trials) begin(key string, do func(progress func(read, of int)) (rules.Trial, error)) *trialJob {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.all == nil {
		t.all = map[string]*trialJob{}
	}
	for k, j := range t.all {
		if time.Since(j.begun) > trialKept {
			delete(t.all, k)
		}
	}
	if j, ok := t.all[key]; ok {
		return j
	}
	j := &trialJob{begun: time.Now(), done: make(chan struct{})}
	t.all[key] = j
	go func() {
		trial, err := do(func(read, of int) {
			t.mu.Lock()
			defer t.mu.Unlock()
			j.read, j.of = read, of
		})
		t.mu.Lock()
		defer t.mu.Unlock()
		j.trial, j.err = trial, err
		close(j.done)
	}()
	return j
}

func (t *trials) far(j *trialJob) (read, of int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	return j.read, j.of
}

func (t *trials) forget(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.all, key)
}

type trialView struct {
	ID       ref.Rule
	Sentence string
	On       bool
	Days     []pick
	Answer   kit.Sentence
	Does     []string
	Rows     []wouldRow
	More     int
	Waiting  bool
	Read, Of int
	Problem  string
}

// atOrDay says when an event was; what comes with time has a day.
func atOrDay(b *newsroom.Setup, d ref.Desk, w rule.Would) string {
	if w.Event.Kind.Timed() {
		return english.Date(w.At.Date(b.Zones[d]))
	}
	return b.At(w.At, d)
}

type wouldRow struct {
	When  string
	Piece ref.Piece
	Title string
	Leg   string
	Who   string
}

// trialShown is how many things that a rule would have done are listed.
const trialShown = 300

// tryRule shows what a rule would have done over the last days.
func (s *Section) tryRule(c *echo.Context) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	r, err := s.ruleOf(c, b)
	if err != nil || r.ID == 0 {
		return newsroom.ErrNotFound
	}
	span := rules.TrialDays[1]
	for _, d := range rules.TrialDays {
		if strconv.Itoa(d) == c.QueryParam("days") {
			span = d
		}
	}
	read := b.ReadRule(r)
	v := trialView{ID: r.ID, Sentence: read.Sentence, On: r.On, Does: rules.SayWould(b, &read)}
	for _, d := range rules.TrialDays {
		v.Days = append(v.Days, pick{Value: strconv.Itoa(d), Name: fmt.Sprintf("%d days", d), Is: d == span})
	}
	key := fmt.Sprintf("%d %d %d %s", kit.Me(c).ID, r.ID, span, r.Data())
	by := kit.Me(c).ID
	job := s.trials.begin(key, func(progress func(int, int)) (rules.Trial, error) {
		return s.Rules.TryRule(context.WithoutCancel(ctx), by, r, span, progress)
	})
	select {
	case <-job.done:
		s.trials.forget(key)
	case <-time.After(1500 * time.Millisecond):
		v.Waiting = true
		v.Read, v.Of = s.trials.far(job)
		c.Response().Header().Set("Refresh", "1") // the page asks again by itself
		return s.Show(c, http.StatusOK, "trial", "Try a house rule", v)
	}
	var refusal *relay.Refusal
	if errors.As(job.err, &refusal) {
		v.Problem = refusal.Text
		return s.Show(c, kit.StatusOf(refusal), "trial", "Try a house rule", v)
	} else if job.err != nil {
		return job.err
	}
	v.fill(b, r.DeskID, job.trial)
	return s.Show(c, http.StatusOK, "trial", "Try a house rule", v)
}

func (v *trialView) fill(b *newsroom.Setup, d ref.Desk, t rules.Trial) {
	pieces := map[ref.Piece]bool{}
	for i := len(t.Would) - 1; i >= 0; i-- {
		w := t.Would[i]
		pieces[w.Event.Piece] = true
		if len(v.Rows) >= trialShown {
			v.More++
			continue
		}
		row := wouldRow{When: atOrDay(b, d, w), Piece: w.Event.Piece, Title: w.Title, Leg: w.Leg}
		if w.Event.By != 0 {
			row.Who = b.Name(w.Event.By)
		}
		v.Rows = append(v.Rows, row)
	}
	v.Read = t.Read
	n := len(t.Would)
	switch {
	case n == 0:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("In the last %d days it would have done nothing.", t.Days), Tone: "plain"}
	default:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("In the last %d days it would have done something %s, on %s.", t.Days, english.Times(n), english.Counted(len(pieces), "piece")), Tone: "good"}
	}
}
