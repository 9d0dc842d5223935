package command

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/assign"
	"ropeswing/core/revise"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

func (a *app) rename() *cobra.Command {
	var (
		write, ledgerOnly bool
		ports             string
	)
	cmd := &cobra.Command{
		Use:     "rename OLD NEW | DEVICE --ports FILE",
		Short:   "Give anything in the plan another name; its numbers stay with it",
		GroupID: groupPlan,
		Long: "Change the name of a device, segment, block, cable or interface everywhere in\n" +
			"the plan, and in the ledger, so that every number stays with what it was given\n" +
			"to. With a star behind both names all that begin so are renamed. Where a device\n" +
			"is replaced by one whose ports have other names, --ports takes a table of two\n" +
			"columns: the old name and the new one. Without -w it only shows what would change.",
		Example: "  ropeswing rename quay-staff quay-office\n  ropeswing rename tern-rock:lan0 tern-rock:eth0 -w\n  ropeswing rename 'gull*' 'skua*'\n  " +
			"ropeswing rename tern-rock --ports ports.csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case ports != "" && len(args) != 1:
				return errors.New("with --ports name the device alone: ropeswing rename DEVICE --ports FILE")
			case ports == "" && len(args) != 2:
				return errors.New("name both: ropeswing rename OLD NEW")
			}
			plan, err := a.toEdit(write)
			if err != nil {
				return err
			}
			defer plan.close()
			w := plan.Numbers
			var names []assign.Rename
			if ports != "" {
				names, err = a.portNames(args[0], ports)
			} else {
				names, err = revise.Renames(w, args[0], args[1])
			}
			if err != nil {
				return err
			}
			r, err := revise.Rename(w, names, ledgerOnly)
			if err != nil {
				return err
			}
			if write {
				changes := planChanges(plan.Found, r.Files, r.Edits)
				if r.Next != nil && len(r.Changes) > 0 {
					changes = append(changes, ledgerChange(plan.Found, w.Ledger, r.Next))
				}
				if err := plan.writer.Commit(changes...); err != nil {
					return notWritten("the plan", err)
				}
			}
			again := "rename"
			if ledgerOnly {
				again = "rename --ledger-only"
			}
			if ports != "" {
				again += " --ports " + view.ShellWord(ports)
			}
			view.RenameText(a.out, names, r, write, a.toWrite(write, again, args))
			return nil
		},
		ValidArgsFunction: a.completeNames,
	}
	cmd.Flags().BoolVarP(&write, "write", "w", false, "write the plan and the ledger")
	cmd.Flags().StringVar(&ports, "ports", "", "the ports of a device have other names: a table in `FILE`, a line each, OLD,NEW")
	cmd.Flags().BoolVar(&ledgerOnly, "ledger-only", false, "the plan was changed by hand; change the ledger only")
	return cmd
}

// mostPorts is how large a table of ports may be, in bytes.
const mostPorts = 1 << 20

// portNames reads the table of a device's ports: a line each, the old name and the new one behind a comma, a semicolon, a tab or blanks.
func (a *app) portNames(device, file string) ([]assign.Rename, error) {
	in, err := files.OpenPlain(a.at(file))
	if err != nil {
		return nil, fmt.Errorf("cannot read %s: %w", file, errors.Unwrap(err))
	}
	defer in.Close()
	text, err := io.ReadAll(io.LimitReader(in, mostPorts+1))
	if err != nil {
		return nil, fmt.Errorf("cannot read %s: %w", file, err)
	}
	if len(text) > mostPorts {
		return nil, fmt.Errorf("%s is larger than a table of ports can be", file)
	}
	var names []assign.Rename
	for i, line := range strings.Split(string(text), "\n") {
		words := strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(",;\t \r", r) })
		switch {
		case len(words) == 0 || strings.HasPrefix(words[0], "#"):
		case len(words) != 2:
			return nil, fmt.Errorf("%s:%d: a line is the old name of a port and the new one, and this has %s", file, i+1,
				view.Count(len(words), "word"))
		case words[0] != words[1]:
			names = append(names, assign.Rename{Old: device + ":" + words[0], New: device + ":" + words[1]})
		}
	}
	if len(names) == 0 {
		return nil, fmt.Errorf("%s renames nothing: a line is the old name of a port and the new one", file)
	}
	return names, nil
}
