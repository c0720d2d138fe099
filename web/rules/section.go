// Package rules is the house rules: their list, their form, and trying one on what happened.
package rules

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/rules"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	trials trials // that run now
	Rules  Rules
}

// Rules is what the section asks of the house rules.
type Rules interface {
	CopyRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule) error
	DropRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule) error
	MoveRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule, up bool) error
	RuleHistory(ctx context.Context, who ref.Person, desk ref.Desk, id ref.Rule, below int64, limit int) (newsroom.HouseRule, []store.RuleRun, error)
	Rules(ctx context.Context, who ref.Person, desk ref.Desk) (rules.RuleSheet, error)
	SaveRule(ctx context.Context, by ref.Person, r rule.Rule) (ref.Rule, error)
	SwitchRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule, on bool) error
	TryRule(ctx context.Context, by ref.Person, r rule.Rule, days int, progress func(read int, of int)) (rules.Trial, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/rules", s.rules)
	g.Me.GET("/rules/:id", s.rulePage, s.Leads)
	g.Me.POST("/rules/:id", s.saveRule, s.Leads)
	g.Me.POST("/rules/:id/do", s.ruleDo, s.Leads)
	g.Me.GET("/rules/:id/try", s.tryRule, s.Leads)
}
