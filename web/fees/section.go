// Package fees is money: the fees of a month, rates, budgets and other costs, statements, and what
// somebody earns themselves. No page of it is for partners and reviewers.
package fees

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/fees"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of the room of fees.
type Section struct {
	*kit.Server
	Fees Fees
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	Accept(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Fee) error
	Agree(ctx context.Context, by ref.Person, o fees.Otherwise) error
	Check(ctx context.Context, by ref.Person, desk ref.Desk, ids []ref.Fee) error
	Correct(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Fee, amount int64, reason string) error
	CostsOf(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]store.Cost, error)
	Mine(ctx context.Context, who ref.Person) (fees.Mine, error)
	Month(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) (fees.Month, error)
	OfMonth(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]fees.Owed, error)
	Pay(ctx context.Context, by ref.Person, desk ref.Desk, ids []ref.Statement, on day.Date) error
	Return(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Fee, reason string) error
	SaveBudget(ctx context.Context, by ref.Person, x store.Budget) error
	SaveCost(ctx context.Context, by ref.Person, x store.Cost) error
	SaveRate(ctx context.Context, by ref.Person, r store.Rate) error
	SayHours(ctx context.Context, by ref.Person, id ref.Fee, minutes int) error
	State(ctx context.Context, by ref.Person, desk ref.Desk, month day.Date, only ref.Person) (int, error)
	Statement(ctx context.Context, who ref.Person, id ref.Statement) (store.Statement, []store.StatementLine, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	sees, earns := s.Mays(relay.SeeFees, notSeen), s.Mays(relay.SeeOwnFees, "Nobody from outside is paid here.")
	g.Me.GET("/fees", s.month, sees)
	kit.SheetRoutes(g.Me, "/fees", s.monthSheet, sees)
	g.Me.POST("/fees/check", s.check, sees)
	g.Me.POST("/fees/back", s.back, sees)
	g.Me.POST("/fees/state", s.state, sees)
	g.Me.POST("/fees/pay", s.pay, sees)
	g.Me.POST("/fees/statements/:id/correct", s.correct, sees)
	g.Me.POST("/fees/costs", s.saveCost, sees)
	g.Me.GET("/fees/rates", s.rates, s.Leads)
	g.Me.POST("/fees/rates", s.saveRate, s.Leads)
	g.Me.GET("/fees/budgets", s.budgets, s.Leads)
	g.Me.POST("/fees/budgets", s.saveBudget, s.Leads)
	g.Me.GET("/fees/mine", s.mine, earns)
	g.Me.POST("/fees/:id/hours", s.hours, earns)
	g.Me.GET("/fees/statements/:id", s.statement, earns)
	kit.SheetRoutes(g.Me, "/fees/statements/:id", s.sheet, earns)
	g.Me.POST("/pieces/:id/fees/agree", s.agree)
	g.Me.POST("/pieces/:id/fees/accept", s.accept)
}

const notSeen = "What work costs is seen by leads and by those who check or pay it."
