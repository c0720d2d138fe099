// Package browser drives the real interface in headless Chromium: the tests in
// it play the work of a newsroom, and its command shots takes the pictures in
// docs/screenshots.
package browser

import (
	"fmt"
	"os/exec"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
)

// Launch starts a headless Chromium that talks to nobody but the pages opened in it.
func Launch() (*rod.Browser, func(), error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, fmt.Errorf("chromium is not installed; ./test installs it: %w", err)
	}
	l := launcher.New().Bin(path).Leakless(false).Headless(true).NoSandbox(true).
		Set("disable-gpu").Set("disable-quic").Set("no-first-run").Set("disable-background-networking").
		Set("disable-component-update").Set("disable-sync").Set("disable-dev-shm-usage").Set("disable-background-timer-throttling").
		Set("disable-backgrounding-occluded-windows").Set("disable-renderer-backgrounding").Set("force-color-profile", "srgb").Set("hide-scrollbars")
	address, err := l.Launch()
	if err != nil {
		return nil, nil, fmt.Errorf("start chromium: %w", err)
	}
	b := rod.New().ControlURL(address)
	if err := b.Connect(); err != nil {
		l.Kill()
		return nil, nil, fmt.Errorf("connect to chromium: %w", err)
	}
	return b, func() {
		_ = b.Close() // it is killed next in any case
		l.Kill()
		l.Cleanup()
	}, nil
}
