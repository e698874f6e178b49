//go:build unix

package machine

import (
	"os/exec"
	"syscall"

	"golang.org/x/sys/unix"
)

// group puts a program and all that it starts into one group, which ends together.
func group(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return unix.Kill(-cmd.Process.Pid, unix.SIGKILL) }
}
