package command

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// Version is the program's version; the build may set it by -ldflags -X.
var Version = "0.1.0"

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version", GroupID: groupOther, Args: noArgs, ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			line := fmt.Sprintf("ropeswing %s (%s, %s/%s)", Version, runtime.Version(), runtime.GOOS, runtime.GOARCH)
			if info, ok := debug.ReadBuildInfo(); ok {
				for _, s := range info.Settings {
					if s.Key == "vcs.revision" && len(s.Value) >= 12 {
						line += " from " + s.Value[:12]
					}
				}
			}
			fmt.Fprintln(a.out, line)
			return nil
		},
	}
}
