// Package web is the interface in the browser: it puts the sections together, each over the
// kit, with what it asks of the newsroom.
package web

import (
	"context"
	"log/slog"
	"net/http"

	"greenbaton/format"
	"greenbaton/newsroom/rooms"
	"greenbaton/post"
	"greenbaton/store"
	"greenbaton/web/account"
	"greenbaton/web/api"
	"greenbaton/web/brief"
	"greenbaton/web/bring"
	"greenbaton/web/calendars"
	"greenbaton/web/campaigns"
	"greenbaton/web/change"
	"greenbaton/web/copy"
	"greenbaton/web/fees"
	"greenbaton/web/formats"
	"greenbaton/web/ideas"
	"greenbaton/web/inbox"
	"greenbaton/web/kit"
	"greenbaton/web/lineup"
	"greenbaton/web/load"
	"greenbaton/web/logbook"
	"greenbaton/web/partner"
	"greenbaton/web/piece"
	"greenbaton/web/pieces"
	"greenbaton/web/regulars"
	"greenbaton/web/release"
	"greenbaton/web/reports"
	"greenbaton/web/requests"
	"greenbaton/web/review"
	"greenbaton/web/rules"
	"greenbaton/web/setup"
	"greenbaton/web/site"
	"greenbaton/web/today"
	"greenbaton/web/track"
	"greenbaton/web/views"
)

// Server serves one newsroom.
type Server struct {
	Newsroom  *rooms.Newsroom
	Demo      kit.Demo // nil outside the demo
	Log       *slog.Logger
	Secure    bool     // cookies only over TLS
	Proxied   bool     // a proxy stands before it, and says who asks
	Addresses []string // that it answers, with their methods; known once there is a handler
	kit       *kit.Server
}

// Handler makes the handler of all addresses. The fields of the server and of its newsroom
// are set before.
func (s *Server) Handler() (http.Handler, error) {
	n := s.Newsroom
	k := &kit.Server{
		Newsroom: n, Notify: n.Notify, Copyroom: n.Copyroom, Events: n.Events, Lines: n.Lines, Base: n.Base,
		Demo: s.Demo, Log: s.Log, Secure: s.Secure, Proxied: s.Proxied,
	}
	s.kit = k
	n.ReadCopy = format.FromText
	h, err := k.Handler(store.Sessions{DB: n.DB}, sections(k, n)...)
	s.Addresses = k.Addresses
	return h, err
}

// CheckFront lets the program ask itself at the address people open, and keeps and gives
// what the proxy that stands there is missing. The client is to trust its certificate.
func (s *Server) CheckFront(ctx context.Context, client *http.Client) []string {
	return s.kit.CheckFront(ctx, client)
}

// Missing gives what a proxy in front is known to lack, in sentences that say what to do.
func (s *Server) Missing() []string { return s.kit.Missing() }

func sections(k *kit.Server, n *rooms.Newsroom) []kit.Section {
	shared := &views.Section{Server: k, Fees: n.Fees, Planning: n.Planning}
	briefs := &brief.Section{Server: k, Intake: n.Intake, Planning: n.Planning}
	copies := &copy.Section{Server: k, Copyroom: n.Copyroom, Review: n.Review}
	reviews := &review.Section{Server: k, Copyroom: n.Copyroom, Review: n.Review}
	return []kit.Section{
		shared, briefs, copies, reviews,
		&account.Section{Server: k, Account: n.Account, Notify: n.Notify, Settings: n.Settings},
		&api.Section{Server: k, Copyroom: n.Copyroom, Fees: n.Fees, Figures: n.Figures, Intake: n.Intake, Logbook: n.Logbook, Planning: n.Planning, Programs: n.Programs, Review: n.Review},
		&bring.Section{Server: k, Intake: n.Intake, Web: n.Web},
		&calendars.Section{Server: k, Calendars: n.Calendars, Planning: n.Planning, Review: n.Review},
		&campaigns.Section{Server: k, Figures: n.Figures, Planning: n.Planning, Reports: n.Reports, Settings: n.Settings},
		&change.Section{Server: k, Fees: n.Fees, Kernel: n, Planning: n.Planning, Web: n.Web},
		&fees.Section{Server: k, Fees: n.Fees},
		&ideas.Section{Server: k, Fees: n.Fees, Intake: n.Intake},
		&inbox.Section{Server: k, Notify: n.Notify},
		&lineup.Section{Server: k, ViewsPage: shared, Planning: n.Planning},
		&load.Section{Server: k, ViewsPage: shared, Planning: n.Planning},
		&logbook.Section{Server: k, Logbook: n.Logbook, Planning: n.Planning},
		&partner.Section{Server: k, Intake: n.Intake, Review: n.Review},
		&piece.Section{Server: k, BriefPage: briefs, CopyPage: copies, ReviewPage: reviews, Copyroom: n.Copyroom, Fees: n.Fees, Figures: n.Figures, Kernel: n, Notify: n.Notify, Planning: n.Planning, Regulars: n.Regular, Review: n.Review, Sheets: n.Release},
		&pieces.Section{Server: k, ViewsPage: shared, Copyroom: n.Copyroom, Fees: n.Fees, Intake: n.Intake, Planning: n.Planning},
		&regulars.Section{Server: k, Regulars: n.Regular},
		&release.Section{Server: k, Planning: n.Planning, Release: n.Release},
		&reports.Section{Server: k, ViewsPage: shared, Figures: n.Figures, Reports: n.Reports},
		&requests.Section{Server: k, Intake: n.Intake, Planning: n.Planning},
		&rules.Section{Server: k, Rules: n.Rules},
		&setup.Section{Server: k, Account: n.Account, Kernel: n, Moving: n.Moving, WritePage: post.DeskPage, Notify: n.Notify, Planning: n.Planning, Review: n.Review, Settings: n.Settings},
		&formats.Section{Server: k, Copyroom: n.Copyroom, Intake: n.Intake, Planning: n.Planning, Settings: n.Settings},
		&site.Section{Server: k, Figures: n.Figures, Copyroom: n.Copyroom, Review: n.Review},
		&today.Section{Server: k, Notify: n.Notify, Figures: n.Figures, Reports: n.Reports, Copyroom: n.Copyroom, Planning: n.Planning, Review: n.Review},
		&track.Section{Server: k, ViewsPage: shared, Planning: n.Planning},
	}
}
