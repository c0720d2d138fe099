package browser

import (
	"os/exec"
	"syscall"
)

// EndsWithUs lets a command that is not started yet end when this process does, also when
// this one is killed; and puts it and what it starts into a group of their own.
func EndsWithUs(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
}

// EndAll ends a command and all that it started.
func EndAll(cmd *exec.Cmd) error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
