package api

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// description is what programs can ask for, as people read it.
type description struct {
	Rules []string // what holds of all of it
	Base  string
	Parts []part
}

type part struct {
	Name string
	Does []does
}

type does struct {
	ID, Method, Path, Says, Needs string
	Takes                         []takes
	Body, Answer                  string // made up, as JSON
	Status                        string
}

type takes struct {
	Name, In, Kind, Says string
	Must                 bool
}

// of reads a description that programs read.
func (d *description) of(o *huma.OpenAPI) {
	d.Rules, d.Base = conventions, o.Servers[0].URL
	at := map[string]int{}
	for _, path := range kit.SortedKeys(o.Paths) {
		item := o.Paths[path]
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if op == nil {
				continue
			}
			name := op.Tags[0]
			if _, known := at[name]; !known {
				at[name] = len(d.Parts)
				d.Parts = append(d.Parts, part{Name: name})
			}
			p := &d.Parts[at[name]]
			p.Does = append(p.Does, doesOf(o, path, op))
		}
	}
	slices.SortFunc(d.Parts, func(a, b part) int {
		order := []string{"Pieces", "Legs", "Views", "Copy", "Ideas", "Requests", "People", "Figures", "Fees", "Logbook"}
		return slices.Index(order, a.Name) - slices.Index(order, b.Name)
	})
}

func doesOf(o *huma.OpenAPI, path string, op *huma.Operation) does {
	x := does{ID: op.OperationID, Method: op.Method, Path: path, Says: op.Summary, Needs: strings.TrimSuffix(strings.TrimPrefix(op.Description, "Asks for "), ".")}
	for _, p := range op.Parameters {
		x.Takes = append(x.Takes, takes{Name: p.Name, In: p.In, Kind: kindOf(p.Schema), Says: p.Description, Must: p.Required})
	}
	if op.RequestBody != nil {
		if c := op.RequestBody.Content["application/json"]; c != nil {
			x.Body = sample(o, c.Schema)
		} else {
			x.Body = "The file as it is: " + strings.Join(kit.SortedKeys(op.RequestBody.Content), ", ") + "."
		}
	}
	for _, status := range kit.SortedKeys(op.Responses) {
		if r := op.Responses[status]; strings.HasPrefix(status, "2") {
			x.Status = status
			if c := r.Content["application/json"]; c != nil {
				x.Answer = sample(o, c.Schema)
			} else if r.Content["text/event-stream"] != nil {
				x.Answer = "id: 5512\nevent: entry\ndata: an entry, as under listEntries\n"
			}
		}
	}
	return x
}

func kindOf(s *huma.Schema) string {
	switch {
	case s == nil:
		return ""
	case len(s.Enum) > 0:
		var all []string
		for _, e := range s.Enum {
			if t, ok := e.(string); ok {
				all = append(all, t)
			}
		}
		return strings.Join(all, ", ")
	case s.Format == "date":
		return "date"
	case s.Type == huma.TypeInteger:
		return "whole number"
	case s.Type == huma.TypeString:
		return "text"
	}
	return s.Type
}

// sample makes up what something looks like.
func sample(o *huma.OpenAPI, s *huma.Schema) string {
	b, err := json.MarshalIndent(madeUp(o, s, 0), "", "  ")
	if err != nil {
		return ""
	}
	return string(b)
}

func madeUp(o *huma.OpenAPI, s *huma.Schema, deep int) any {
	if s == nil || deep > 6 {
		return nil
	}
	if s.Ref != "" {
		return madeUp(o, o.Components.Schemas.SchemaFromRef(s.Ref), deep+1)
	}
	switch s.Type {
	case huma.TypeObject:
		out := map[string]any{}
		for name, p := range s.Properties {
			out[name] = madeUp(o, p, deep+1)
		}
		if more, ok := s.AdditionalProperties.(*huma.Schema); ok {
			out["…"] = madeUp(o, more, deep+1)
		}
		return out
	case huma.TypeArray:
		return []any{madeUp(o, s.Items, deep+1)}
	case huma.TypeInteger, huma.TypeNumber:
		return 1
	case huma.TypeBoolean:
		return true
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Format == "date":
		return "2026-11-26"
	case s.Format == "date-time":
		return "2026-11-26T09:00:00Z"
	case s.Format == "uri":
		return "https://…"
	}
	return "…"
}

// reader shows what programs can ask for.
func (s *Section) reader(c *echo.Context) error {
	return s.Show(c, http.StatusOK, "reference", "For programs", s.shown)
}

type tokensView struct {
	Answer         string
	Made           string // the token that was made just now
	Tokens         []tokenRow
	Areas          []areaRow
	Name, Days     string
	Problem, Field string
	Address        string
}

type tokenRow struct {
	ID                     ref.Token
	Name, Opens, Used, End string
	Unused                 bool
}

type areaRow struct {
	Key, Says string
	Writes    bool // it can be written in
	Is        string
}

func (s *Section) tokens(c *echo.Context) error {
	return s.showTokens(c, http.StatusOK, url.Values{"days": {"90"}}, nil)
}

func (s *Section) showTokens(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	all, err := s.Programs.Tokens(ctx, kit.Me(c).ID)
	if err != nil {
		return err
	}
	v := tokensView{Name: form.Get("name"), Days: form.Get("days"), Made: s.Sessions.PopString(ctx, "token"), Address: s.Base + Base}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	now := s.Newsroom.Now()
	for _, t := range all {
		sc, err := scope.Parse(t.Scope)
		if err != nil {
			return err
		}
		r := tokenRow{ID: t.ID, Name: t.Name, Opens: sc.Says(), Used: "never used yet", Unused: t.UsedAt == 0, End: "opens until you end it"}
		if t.UsedAt != 0 {
			r.Used = "last used " + b.At(t.UsedAt, kit.Here(c)) + " from " + t.UsedFrom
		}
		switch {
		case t.Ends != 0 && t.Ends <= now:
			r.End = "had its end " + b.At(t.Ends, kit.Here(c))
		case t.Ends != 0:
			r.End = "opens until " + b.At(t.Ends, kit.Here(c))
		}
		v.Tokens = append(v.Tokens, r)
	}
	for _, a := range scope.Areas {
		v.Areas = append(v.Areas, areaRow{Key: string(a), Says: a.Says(), Writes: !slices.Contains(scope.ReadOnly, a), Is: form.Get("may-" + string(a))})
	}
	v.Answer = map[bool]string{true: "No program acts in your name.", false: "What these tokens open, programs do in your name, and never more than you may."}[len(all) == 0]
	return s.Show(c, status, "programs", "Programs", v)
}

func (s *Section) makeToken(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	var asked []string
	for _, a := range scope.Areas {
		if right := form.Get("may-" + string(a)); right != "" {
			asked = append(asked, string(a)+":"+right)
		}
	}
	sc, err := scope.Parse(strings.Join(asked, " "))
	if err != nil {
		err = newsroom.Invalid("scope", "%s.", err.Error())
	}
	days := 0
	if t := strings.TrimSpace(form.Get("days")); err == nil && t != "" {
		if days, err = strconv.Atoi(t); err != nil || days < 1 {
			err = newsroom.Invalid("days", "Write for how many days it opens, like 90, or leave it empty.")
		}
	}
	if err == nil {
		var token string
		if token, err = s.Programs.Make(ctx, kit.Me(c).ID, form.Get("name"), sc, days); err == nil {
			s.Sessions.Put(ctx, "token", token)
		}
	}
	return s.Answered(c, err, "", "/programs#made", func(status int, r *relay.Refusal) error { return s.showTokens(c, status, form, r) })
}

func (s *Section) endToken(c *echo.Context) error {
	id, err := kit.ID[ref.Token](c)
	if err != nil {
		return err
	}
	err = s.Programs.End(c.Request().Context(), kit.Me(c).ID, id)
	return s.Answered(c, err, "The token opens nothing any more.", "/programs", func(status int, r *relay.Refusal) error {
		return s.showTokens(c, status, url.Values{}, r)
	})
}
