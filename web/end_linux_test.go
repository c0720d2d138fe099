package web

import (
	"os/exec"
	"syscall"
)

// endsWithUs lets a command end when the tests do, however they end.
func endsWithUs(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL} }
