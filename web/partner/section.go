// Package partner is what a partner sees of their pieces, and the form that lets them.
package partner

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Intake Intake
	Review Review
}

// Intake is what the section asks of intake.
type Intake interface {
	AnswerPitch(ctx context.Context, by ref.Person, id ref.Pitch, yes bool, why string) (ref.Piece, error)
	AnswerPitchByLink(ctx context.Context, k review.Key, id ref.Pitch, yes bool, why string) (ref.Piece, error)
}

// Review is what the section asks of review.
type Review interface {
	PartnerAsSeen(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) (review.PartnerSheet, error)
	PartnerLink(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) (string, error)
	PartnerPage(ctx context.Context, k review.Key) (review.PartnerSheet, error)
	RevokePartner(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) error
	SavePartner(ctx context.Context, by ref.Person, p store.Partner, people []ref.Person, channels []ref.Channel) (ref.Partner, error)
	StillPartner(k review.Key) func() bool
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	theirs := g.In.Group("/partner/:token", s.Outside)
	theirs.GET("", s.partner)
	theirs.GET("/live", s.partnerLive)
	theirs.POST("/pitches/:id", s.partnerPitch)
	g.Me.GET("/partner", s.partner)
	g.Me.GET("/partner/live", s.partnerLive)
	g.Me.POST("/partner/pitches/:id", s.partnerPitch)
	g.Me.GET("/partners/:id", s.partnerPage, s.Leads)
	g.Me.POST("/partners/:id", s.savePartner, s.Leads)
}
