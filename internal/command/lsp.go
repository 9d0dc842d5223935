package command

import (
	"io"

	"github.com/spf13/cobra"

	"ropeswing/internal/lsp"
)

// lsp is the language server.
func (a *app) lsp() *cobra.Command {
	return &cobra.Command{
		Use:     "lsp",
		Short:   "Serve an editor: findings as you type, hover, names, renaming",
		GroupID: groupOther,
		Long: "A language server for plans, on standard input and output, for any editor that speaks\n" +
			"the Language Server Protocol. Start 'ropeswing lsp' for files called *.plan.yaml.",
		Args:              noArgs,
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, _ []string) error {
			in, ok := a.in.(io.ReadCloser)
			if !ok {
				in = io.NopCloser(a.in)
			}
			s := lsp.Server{Version: Version}
			return s.Serve(cmd.Context(), in, atOnce{a})
		},
	}
}

// atOnce is the output without waiting: each message goes when it is written.
type atOnce struct{ a *app }

func (w atOnce) Write(b []byte) (int, error) {
	n, err := w.a.raw.Write(b)
	w.a.flush()
	return n, err
}

func (atOnce) Close() error { return nil }
