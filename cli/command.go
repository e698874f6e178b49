package cli

import (
	"errors"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/machine"
)

// commandCmd is for a machine's owner, on the machine itself: which other programs agents may run here.
func (a *app) commandCmd() *cobra.Command {
	var env []string
	change := func(name, short, example string, forbid bool) *cobra.Command {
		return &cobra.Command{Use: name + " -- PROGRAM [ARGUMENT…]", Short: short, Example: "  " + example,
			Args: func(_ *cobra.Command, args []string) error {
				if len(args) == 0 {
					return usageError{errors.New("say which command, after two dashes: durvek command " + name +
						" -- PROGRAM ARGUMENT…")}
				}
				return nil
			},
			RunE: func(_ *cobra.Command, args []string) error {
				path, err := machine.AllowedFile()
				if err != nil {
					return err
				}
				program, err := machine.Allow(path, args, env, forbid, time.Now())
				if err != nil {
					return err
				}
				if forbid {
					a.say("Agents may no longer run: %s", strings.Join(args, " "))
				} else {
					a.say("Agents that you start on this machine may run: %s\nIt stands for %s.", strings.Join(args, " "), program)
				}
				return nil
			}}
	}
	list := verb("list", "List the commands that agents may run on this machine", "durvek command list", 0,
		func(*cobra.Command, []string) error {
			path, err := machine.AllowedFile()
			if err != nil {
				return err
			}
			allowed, err := machine.ReadAllowed(path)
			if err != nil {
				return err
			}
			if a.json {
				return a.printJSON(allowed)
			}
			if len(allowed) == 0 {
				a.say("No other program may be run by an agent on this machine. Allow one with `durvek command allow -- PROGRAM " +
					"ARGUMENT…`.")
				return nil
			}
			var rows [][]any
			for _, x := range allowed {
				rows = append(rows, []any{strings.Join(x.Run, " "), x.Program, x.Since.Format("2006-01-02 15:04")})
			}
			a.print([]string{"Command", "Program", "Since (UTC)"}, rows)
			return nil
		})
	allow := change("allow", "Let agents on this machine run this very command", "durvek command allow -- hull-mesher "+
		"--size 40", false)
	allow.Flags().StringArrayVar(&env, "env", nil, "name of a variable of the agent's environment that the program gets "+
		"beside the usual ones; may be given again")
	return noun("command", "Which other programs agents may run on this machine", allow,
		change("forbid", "Take a command back", "durvek command forbid -- hull-mesher --size 40", true), list)
}
