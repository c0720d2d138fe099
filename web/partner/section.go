// Package partner is what a partner sees of their pieces, and the form that lets them.
package partner

import (
	"context"
	"embed"
	"io/fs"

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
	AnswerPitch(ctx context.Context, by int64, id int64, yes bool, why string) (int64, error)
	AnswerPitchByLink(ctx context.Context, k review.Key, id int64, yes bool, why string) (int64, error)
}

// Review is what the section asks of review.
type Review interface {
	PartnerAsSeen(ctx context.Context, by int64, desk int64, partner int64) (review.PartnerSheet, error)
	PartnerLink(ctx context.Context, by int64, desk int64, partner int64) (string, error)
	PartnerPage(ctx context.Context, k review.Key) (review.PartnerSheet, error)
	RevokePartner(ctx context.Context, by int64, desk int64, partner int64) error
	SavePartner(ctx context.Context, by int64, p store.Partner, people []int64, channels []int64) (int64, error)
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
