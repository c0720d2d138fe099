// Package browser drives the real interface in headless Chromium: the tests in
// it play the work of a newsroom, and its command shots takes the pictures in
// docs/screenshots.
package browser

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"sync"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
)

// Launch starts a headless Chromium that talks to nobody but the pages opened in it. The
// function it gives ends it and removes what it kept; it may be called more than once. It
// ends with this process as well, however that ends.
func Launch() (*rod.Browser, func(), error) {
	path, err := exec.LookPath("chromium-headless-shell") // the same without its windows: half the work
	if err != nil {
		path, err = exec.LookPath("chromium")
	}
	if err != nil {
		return nil, nil, fmt.Errorf("chromium is not installed; ./test installs it: %w", err)
	}
	profile, err := os.MkdirTemp("", "chromium")
	if err != nil {
		return nil, nil, err
	}
	args := launcher.New().Leakless(false).Headless(true).NoSandbox(true).UserDataDir(profile).
		Set("disable-gpu").Set("disable-quic").Set("no-first-run").Set("disable-background-networking").
		Set("disable-component-update").Set("disable-sync").Set("disable-dev-shm-usage").Set("disable-background-timer-throttling").
		Set("disable-backgrounding-occluded-windows").Set("disable-renderer-backgrounding").Set("force-color-profile", "srgb").Set("hide-scrollbars").FormatArgs()
	cmd := exec.Command(path, args...)
	said := launcher.NewURLParser()
	cmd.Stdout, cmd.Stderr = said, said
	EndsWithUs(cmd)
	if err := cmd.Start(); err != nil {
		return nil, nil, errors.Join(fmt.Errorf("start chromium: %w", err), os.RemoveAll(profile))
	}
	ended := make(chan struct{})
	go func() {
		_ = cmd.Wait() // it is ended below, or has ended by itself
		close(ended)
	}()
	var once sync.Once
	stop := func() {
		once.Do(func() {
			_ = EndAll(cmd) // it may have ended already
			<-ended
			_ = os.RemoveAll(profile) // it is in the folder for what is temporary
		})
	}
	var address string
	select {
	case address = <-said.URL:
	case <-ended:
		stop()
		return nil, nil, errors.New("chromium ended at once: " + said.Buffer)
	case <-time.After(2 * time.Minute):
		stop()
		return nil, nil, errors.New("chromium does not say where it listens")
	}
	if address, err = launcher.ResolveURL(address); err != nil {
		stop()
		return nil, nil, fmt.Errorf("find chromium: %w", err)
	}
	b := rod.New().ControlURL(address)
	if err := b.Connect(); err != nil {
		stop()
		return nil, nil, fmt.Errorf("connect to chromium: %w", err)
	}
	return b, stop, nil
}
