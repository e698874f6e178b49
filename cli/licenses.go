package cli

import (
	_ "embed"

	"github.com/spf13/cobra"
)

//go:embed licenses.txt
var licenses string

func (a *app) licensesCmd() *cobra.Command {
	return verb("licenses", "Print the licences of everything that is in this program", "durvek licenses", 0,
		func(*cobra.Command, []string) error {
			a.say("%s", licenses)
			return nil
		})
}
