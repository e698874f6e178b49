package machine

import "os/exec"

// group: on this system only the program itself is ended.
func group(*exec.Cmd) {}
