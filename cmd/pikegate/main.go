// Command pikegate is the service, its demo, and its command-line client.
package main

import (
	"os"

	"pikegate/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
