//go:build !linux

package browser

import "os/exec"

// EndsWithUs lets a command end with this process, where the system can do that.
func EndsWithUs(*exec.Cmd) {}

// EndAll ends a command.
func EndAll(cmd *exec.Cmd) error { return cmd.Process.Kill() }
