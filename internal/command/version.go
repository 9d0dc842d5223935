package command

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"

	"ropeswing/core/assign"
	"ropeswing/core/form"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
	"ropeswing/internal/access"
	"ropeswing/internal/wire"
)

// Version is the program's version, and Commit what it was built from; the build may set both by
// -ldflags -X. Without, the commit is the one that Go noted.
var (
	Version = "0.2.0"
	Commit  = ""
)

// Released is the day of the release.
const Released = "2026-12-01"

// fileFormats are the versions of the formats that this program reads and writes.
func fileFormats() string {
	return fmt.Sprintf("formats: plan %d, ledger %d, state %d, gear %d, form %d, access %d", plan.Version, assign.LedgerVersion,
		observed.Version, wire.MapVersion, form.Version, access.Version)
}

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
			fmt.Fprintln(a.out, fileFormats())
			return nil
		},
	}
}
