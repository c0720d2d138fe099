package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"greenbaton/demo"
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
	h, close, err := openHouse(ctx, c.Data, log, clear)
	if err != nil {
		return err
	}
	defer close()
	h.Mail, h.Chat, h.Briefs, h.Texts, h.Base = post.Room{DB: h.DB}, post.ChatRoom{DB: h.DB}, post.Briefs{}, post.Texts{}, "http://"+c.Addr
	h.Carriers = post.StandIns(h.DB, filepath.Join(c.Data, "folders"))
	stage, err := demo.Open(ctx, h, c.Data)
	if err != nil {
		return err
	}
	return c.serve(ctx, h, stage, log, func(at string) {
		fmt.Printf("\n  Green Baton, the demo of Millrace\n\n  Open    %s\n  Sign in with one click as anybody on the page, or as\n          maren@millrace.example, password %s\n\n  Stop it with Ctrl-C. It begins afresh each time; --keep goes on where you left it.\n\n", at, demo.Password)
	})
}
