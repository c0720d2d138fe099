package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"os"

	"greenbaton/core/scope"
)

type tokenCmd struct {
	Name string `arg:"" help:"Which program it is for."`
	For  string `required:"" help:"The mail address of whoever it acts for."`
	May  string `required:"" help:"What it opens, like 'pieces:write copy:read'; the areas are pieces, ideas, copy, people, figures, fees and logbook."`
	Days int    `default:"90" help:"For how many days it opens; 0 until it is ended."`
	Data string `required:"" type:"path" help:"The data folder. Green Baton must not be running on it; while it runs, tokens are made in the browser."`
	JSON bool   `name:"json" help:"Print it as JSON."`
}

// Run makes a token for a program and prints it.
func (c *tokenCmd) Run() error {
	ctx := context.Background()
	may, err := scope.Parse(c.May)
	if err != nil {
		return err
	}
	h, close, err := openHouse(ctx, c.Data, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		return err
	}
	defer close()
	who, err := whoIs(ctx, h, 0, c.For)
	if err != nil {
		return err
	}
	token, err := h.Programs.Make(ctx, who, c.Name, may, c.Days)
	if err != nil {
		return err
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"token": token, "name": c.Name, "for": c.For, "may": may.String(), "days": c.Days})
	}
	fmt.Println(token)
	return nil
}
