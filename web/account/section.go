// Package account is signing in and out, passwords and codes, what somebody is told and how, and the first steps in an empty newsroom.
package account

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/notify"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Account  Account
	Notify   Notify
	Settings Settings
}

// Account is what the section asks of the room where people sign in.
type Account interface {
	AskPassword(ctx context.Context, mail string, from account.From) error
	ChangePassword(ctx context.Context, who ref.Person, visit ref.Visit, was string, is string, from account.From) error
	ChoosePassword(ctx context.Context, token string, password string) error
	EndVisit(ctx context.Context, who ref.Person, visit, but ref.Visit) error
	Enter(ctx context.Context, person ref.Person, from account.From) (visit ref.Visit, device string, err error)
	NewCodes(ctx context.Context, who ref.Person) (secret string, address string, err error)
	PasswordLink(ctx context.Context, token string) (store.Person, error)
	SignIn(ctx context.Context, mail string, password string, from account.From) (store.Person, error)
	SignInCode(ctx context.Context, person ref.Person, code string, from account.From) error
	SignOutEverywhere(ctx context.Context, who ref.Person) error
	SwitchCodes(ctx context.Context, who ref.Person, secret string, code string, password string, from account.From) error
	Visits(ctx context.Context, who ref.Person) ([]store.Visit, error)
}

// Notify is what the section asks of notifying.
type Notify interface {
	SaveTelling(ctx context.Context, who ref.Person, t notify.Telling) error
	StopMail(ctx context.Context, token string, ask bool) (notify.Stopped, error)
	TellingOf(ctx context.Context, who ref.Person) (notify.Telling, error)
}

// Settings is what the section asks of the set-up.
type Settings interface {
	Empty(ctx context.Context) (bool, error)
	SetUp(ctx context.Context, f setup.FirstHouse) (ref.Person, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.In.GET("/signin", s.signInPage)
	g.In.POST("/signin", s.signIn)
	g.In.GET("/signin/code", s.codePage)
	g.In.POST("/signin/code", s.signInCode)
	g.In.GET("/forgot", s.forgotPage)
	g.In.POST("/forgot", s.forgot)
	g.In.GET("/password/:token", s.passwordPage, s.Outside)
	g.In.POST("/password/:token", s.choosePassword, s.Outside)
	g.In.GET("/stop/:token", s.stopPage, s.Outside)
	g.In.POST("/stop/:token", s.stopMail, s.Outside)
	g.In.GET("/welcome", s.welcomePage)
	g.In.POST("/welcome", s.welcome)
	if s.Demo != nil {
		g.In.POST("/signin/as", s.signInAs)
	}
	g.Me.POST("/signout", s.signOut)
	g.Me.POST("/signout/everywhere", s.signOutEverywhere)
	g.Me.GET("/me", s.myPage)
	g.Me.POST("/me/told", s.saveTold)
	g.Me.POST("/me/password", s.changePassword)
	g.Me.POST("/me/codes", s.switchCodes)
	g.Me.POST("/me/visits", s.endVisit)
	if s.Demo != nil {
		g.Me.POST("/clock/:to", s.moveClock)
	}
}
