// Command uchi is the service and its command line.
package main

import (
	"os"

	"uchi/internal/cli"
)

func main() { os.Exit(cli.Main()) }
