package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"

	"github.com/gofrs/flock"

	"greenbaton/newsroom/rooms"
	"greenbaton/post"
	"greenbaton/store"
	"greenbaton/store/replica"
	"greenbaton/web"
	"greenbaton/web/kit"
)

// house are the flags that both serve and demo have.
type house struct {
	Addr          string `default:"127.0.0.1:8080" help:"The address to listen at, host:port."`
	SecureCookies bool   `help:"Send cookies over TLS only, and tell browsers to use nothing else; for a proxy with TLS in front."`
	BehindProxy   bool   `help:"A proxy stands before it and says in X-Forwarded-For who asks; without one, never set this."`
	Verbose       bool   `help:"Log every request."`

	SessionIdle time.Duration `default:"72h" help:"After how long without use somebody is signed out; 0 for never."`
}

type serveCmd struct {
	house
	copyPlace
	Data              string `required:"" type:"path" help:"The data folder; it is made if it is not there."`
	Base              string `help:"The address people open, for links in mail; http:// and the address to listen at if left out."`
	TextWriter        string `help:"The address of a service that drafts what goes with a piece, asked by POST with JSON; the one that ships if left out."`
	BriefWriter       string `help:"The address of a service that drafts briefs, asked by POST with JSON; the one that ships if left out."`
	Folders           string `type:"path" help:"The folder below which channels may write their pages; folders in the data folder if left out."`
	AllowPrivateHooks bool   `help:"Reach chats, channels, programs, calendars and feeds on this machine and on private networks too."`
	TryLinks          bool   `help:"Try the links of copies on the web."`
	SMTPHost          string `name:"smtp-host" help:"The mail server. Without one, mail is only shown under Outgoing mail."`
	SMTPPort          int    `name:"smtp-port" default:"587" help:"Its port."`
	SMTPFrom          string `name:"smtp-from" help:"The sender, as Name <address>."`
	SMTPUser          string `name:"smtp-user" env:"GREENBATON_SMTP_USER" help:"The name to sign in to the mail server with."`
	SMTPPassword      string `name:"smtp-password" env:"GREENBATON_SMTP_PASSWORD" help:"The password for it; better given in the environment."`
}

// Run serves a newsroom until it is stopped.
func (c *serveCmd) Run() error {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	log := c.logger()
	h, close, err := openHouse(ctx, c.Data, log)
	if err != nil {
		return err
	}
	defer close()
	h.Mail = post.Room{DB: h.DB}
	if c.SMTPHost != "" {
		if h.Mail, err = post.NewSMTP(c.SMTPHost, c.SMTPPort, c.SMTPFrom, c.SMTPUser, c.SMTPPassword); err != nil {
			return err
		}
	}
	h.Base, h.Briefs, h.Texts = c.Base, post.Briefs{}, post.Texts{}
	folders := c.Folders
	if folders == "" {
		folders = filepath.Join(c.Data, "folders")
	}
	h.Carriers = post.Carriers(h.DB, folders, c.AllowPrivateHooks)
	h.Chat, h.PrivateHooks = post.NewChats(10*time.Second, c.AllowPrivateHooks), c.AllowPrivateHooks
	h.Web = post.NewFetcher(10*time.Second, c.AllowPrivateHooks)
	if c.TryLinks {
		h.Links = post.NewWeb(8 * time.Second)
	}
	if c.BriefWriter != "" {
		h.Briefs = post.RemoteBriefs{URL: c.BriefWriter}
	}
	if c.TextWriter != "" {
		h.Texts = post.RemoteTexts{URL: c.TextWriter}
	}
	if c.Copy != "" {
		p, err := c.place()
		if err != nil {
			return err
		}
		var house string
		if err := h.DB.Write(ctx, func(tx *store.Tx) (err error) {
			house, err = tx.Secret(ctx, "house", rand.Text)
			return err
		}); err != nil {
			return err
		}
		copying, err := replica.Start(ctx, h.DB.Path(), p, house, log)
		if err != nil {
			return err
		}
		h.Copied = copying.Last
		defer func() { // before the data is closed
			if err := copying.Close(context.Background()); err != nil {
				log.Error("keep the copy up", "problem", err)
			}
		}()
	}
	return c.serve(ctx, h, nil, log, func(at string) {
		fmt.Printf("Green Baton runs at %s\nIts data is in %s\nStop it with Ctrl-C.\n", at, c.Data)
	})
}

func (c *house) logger() *slog.Logger {
	level := slog.LevelWarn
	if c.Verbose {
		level = slog.LevelInfo
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// lock takes a data folder for one process.
func lock(dir string) (*flock.Flock, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	l := flock.New(filepath.Join(dir, "lock"))
	got, err := l.TryLock()
	if err != nil {
		return nil, fmt.Errorf("lock the data folder: %w", err)
	}
	if !got {
		return nil, fmt.Errorf("another Green Baton runs on %s; stop it first, or give another folder with --data", dir)
	}
	return l, nil
}

// openHouse opens the house on a data folder that no other process uses, after
// what is to be done to the folder first.
func openHouse(ctx context.Context, dir string, log *slog.Logger, first ...func(dir string) error) (*rooms.Newsroom, func(), error) {
	l, err := lock(dir)
	if err != nil {
		return nil, nil, err
	}
	for _, f := range first {
		if err := f(dir); err != nil {
			return nil, nil, errors.Join(err, l.Unlock())
		}
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		return nil, nil, errors.Join(err, l.Unlock())
	}
	h := rooms.Open(db, log)
	h.Links = post.Links{}
	return h, func() {
		if err := errors.Join(db.Close(), l.Unlock()); err != nil {
			log.Error("close", "problem", err)
		}
	}, nil
}

// serve answers requests and goes the house's round until the context ends,
// then lets running requests finish.
func (c *house) serve(ctx context.Context, h *rooms.Newsroom, demo kit.Demo, log *slog.Logger, ready func(address string)) error {
	h.Idle = c.SessionIdle
	if err := h.Copyroom.Recover(ctx); err != nil { // by the clock of whoever serves it
		return err
	}
	named := h.Base != ""
	ln, err := net.Listen("tcp", c.Addr)
	if err != nil {
		return fmt.Errorf("listen at %s: %w; choose another address with --addr", c.Addr, err)
	}
	if !named {
		h.Base = "http://" + ln.Addr().String()
	}
	s := &web.Server{Newsroom: h, Demo: demo, Log: log, Secure: c.SecureCookies, Proxied: c.BehindProxy}
	handler, err := s.Handler()
	if err != nil {
		return errors.Join(err, ln.Close())
	}
	srv := &http.Server{
		Handler: handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second, WriteTimeout: 60 * time.Second, IdleTimeout: 120 * time.Second,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	srv.RegisterOnShutdown(h.Events.Close)
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(ln) }()
	go everySecond(ctx, log, h.Tick)
	go func() {
		if _, err := h.Logbook.CheckChain(ctx); err != nil && ctx.Err() == nil {
			log.Error("check the logbook", "problem", err)
		}
		if err := h.Planning.CheckPlaces(ctx); err != nil && ctx.Err() == nil {
			log.Error("check where pieces belong", "problem", err)
		}
	}()
	go everySecond(ctx, log, h.Notify.DeliverMail)
	go everySecond(ctx, log, h.Notify.DeliverPosts)
	go everySecond(ctx, log, h.Release.Deliver)
	ready("http://" + ln.Addr().String())
	if named && demo == nil {
		go func() {
			for _, missing := range s.CheckFront(ctx, http.DefaultClient) {
				log.Warn(missing)
			}
		}()
	}
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	return srv.Shutdown(end)
}

// everySecond does something every second until the context ends. What goes on failing in
// the same way is logged once a minute.
func everySecond(ctx context.Context, log *slog.Logger, do func(context.Context) error) {
	t := time.NewTicker(time.Second)
	defer t.Stop()
	var last string
	var said time.Time
	for {
		if err := do(ctx); err != nil && ctx.Err() == nil && (err.Error() != last || time.Since(said) > time.Minute) {
			log.Error("in the background", "problem", err)
			last, said = err.Error(), time.Now()
		}
		select {
		case <-ctx.Done():
			return
		case <-t.C:
		}
	}
}
