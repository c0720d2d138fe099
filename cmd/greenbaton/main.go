// Command greenbaton runs the newsroom and looks after its data.
package main

import (
	"errors"
	"os"

	"github.com/alecthomas/kong"
)

var commands struct {
	Demo    demoCmd    `cmd:"" help:"Start with the demo: Millrace, an invented publisher with two years of history and a clock of its own."`
	Serve   serveCmd   `cmd:"" help:"Run a newsroom on a data folder. An empty one is set up in the browser."`
	Backup  backupCmd  `cmd:"" help:"Write a whole copy of the data to a file, also while the newsroom runs."`
	Restore restoreCmd `cmd:"" help:"Put a backup in the place of the data. The newsroom must not be running."`
	Export  exportCmd  `cmd:"" help:"Write everything of a desk as a folder of open files, or a list as a spreadsheet, also while the newsroom runs."`
	Import  importCmd  `cmd:"" help:"Bring a desk that export wrote into an empty house, or a list into a desk."`
	Check   checkCmd   `cmd:"" help:"Look whether all is there that a newsroom needs: data, disk, address, mail. Changes nothing; ends with 1 where something is wrong."`
	Token   tokenCmd   `cmd:"" help:"Make a token with which a program acts for somebody."`
	Bench   benchCmd   `cmd:"" help:"Make a desk of any size, and measure its pages beside those of the demo."`
	Verify  verifyCmd  `cmd:"" help:"Check that no entry of the logbook was changed or taken out."`
}

func main() {
	k := kong.Parse(&commands, kong.Name("greenbaton"), kong.UsageOnError(),
		kong.Description("Green Baton hands pieces from person to person until they are published, with due dates that follow."))
	if err := k.Run(); err != nil {
		k.Errorf("%v", err)
		if errors.Is(err, errPartly) {
			os.Exit(2)
		}
		os.Exit(1)
	}
}
