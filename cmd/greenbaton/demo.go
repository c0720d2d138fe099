package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"greenbaton/demo"
	"greenbaton/newsroom/rooms"
	"greenbaton/post"
)

type demoCmd struct {
	house
	Data string `type:"path" help:"The data folder; one of its own under your cache folder if left out."`
	Keep bool   `help:"Go on with the demo as it was left, instead of starting afresh."`
}

// Run serves the demo until it is stopped.
func (c *demoCmd) Run() error {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if c.Data == "" {
		cache, err := os.UserCacheDir()
		if err != nil {
			return fmt.Errorf("find your cache folder: %w; give a folder with --data", err)
		}
		c.Data = filepath.Join(cache, "greenbaton-demo")
	}
	log := c.logger()
	clear := demo.Clear
	if c.Keep {
		clear = func(string) error { return nil }
	}
	h, stage, close, err := openDemo(ctx, c.Data, "http://"+c.Addr, log, clear)
	if err != nil {
		return err
	}
	defer close()
	return c.serve(ctx, h, stage, log, func(at string) {
		fmt.Printf("\n  Green Baton, the demo of Millrace\n\n  Open    %s\n  Sign in with one click as anybody on the page, or as\n          maren@millrace.example, password %s\n\n  Stop it with Ctrl-C. It begins afresh each time; --keep goes on where you left it.\n\n", at, demo.Password)
	})
}

// openDemo opens the demo on a data folder, with stand-ins for all that is outside.
func openDemo(ctx context.Context, dir, base string, log *slog.Logger, first ...func(dir string) error) (*rooms.Newsroom, *demo.Stage, func(), error) {
	h, close, err := openHouse(ctx, dir, log, first...)
	if err != nil {
		return nil, nil, nil, err
	}
	h.Mail, h.Chat, h.Briefs, h.Texts, h.Base = post.Room{DB: h.DB}, post.ChatRoom{DB: h.DB}, post.Briefs{}, post.Texts{}, base
	h.Carriers = post.StandIns(h.DB, filepath.Join(dir, "folders"))
	stage, err := demo.Open(ctx, h, dir)
	if err != nil {
		close()
		return nil, nil, nil, err
	}
	return h, stage, close, nil
}
