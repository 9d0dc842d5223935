package command

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// Version is the program's version, and Commit what it was built from; the build may set both by
// -ldflags -X. Without, the commit is the one that Go noted.
var (
	Version = "0.1.0"
	Commit  = ""
)

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version", GroupID: groupOther, Args: noArgs, ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			line := fmt.Sprintf("ropeswing %s (%s, %s/%s)", Version, runtime.Version(), runtime.GOOS, runtime.GOARCH)
			commit := Commit
			if info, ok := debug.ReadBuildInfo(); ok && commit == "" {
				for _, s := range info.Settings {
					if s.Key == "vcs.revision" {
						commit = s.Value
					}
				}
			}
			if commit != "" {
				line += " from " + commit[:min(12, len(commit))]
			}
			fmt.Fprintln(a.out, line)
			return nil
		},
	}
}
