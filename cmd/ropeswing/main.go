// Ropeswing plans subnets and static routes and predicts what they do.
package main

import (
	"os"

	"ropeswing/internal/command"
)

func main() { os.Exit(command.Main(os.Args[1:], os.Stdout, os.Stderr)) }
