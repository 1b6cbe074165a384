// Command ricetta is the inspection service and its terminal client in one.
package main

import (
	"os"

	"ricetta/internal/cli"
)

// version is set by the linker.
var version = "dev"

func main() { os.Exit(cli.Main(os.Args, version)) }
