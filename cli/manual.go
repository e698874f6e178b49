package cli

import "github.com/spf13/cobra"

// Command is the tree of all commands, for what writes about them.
func Command() *cobra.Command { return (&app{}).root() }
