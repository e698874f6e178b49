// Command durvek is the service, its command line, the agent and the publisher in one binary.
package main

import (
	"os"

	"durvek/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
