package command

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/derive"
	"ropeswing/core/explain"
	"ropeswing/core/finding"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

func (a *app) why() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "why [NAME|ADDRESS|SUBNET|FINDING|TERM|KEY|DEVICE ADDRESS]",
		Short:   "Explain where a number comes from, or what a finding or term means",
		GroupID: groupLook,
		Long: "Explain a segment, subnet, address, device, interface (DEVICE:INTERFACE) or\n" +
			"block of the plan: how its numbers came about, step by step. With a device and\n" +
			"an address: what the device does with a packet to it, and by which route. Of\n" +
			"'protect': what each level of protection costs in lines and watches. Or\n" +
			"explain a finding, with its smallest example; or a term of the trade, or a key\n" +
			"of the plan. Alone, list all findings.",
		Example: "  ropeswing why quay-staff\n  ropeswing why 10.48.1.10\n  ropeswing why quay-core:vlan110\n  ropeswing why mole-rtr " +
			"10.48.3.2\n  ropeswing why protect\n  ropeswing why next-hop-unresolvable\n  ropeswing why NAT\n  ropeswing why gateway of last resort\n  ropeswing why",
		Args: atMost(8),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) == 0 {
				data, table := view.Catalogue(finding.Catalogue())
				return a.print(data, table, func() { table.Text(a.out, a.width, "", a.wide) })
			}
			if len(args) > 1 {
				// Words of the trade need no quotes.
				if term := strings.Join(args, " "); len(args) > 2 || isTerm(term) {
					if said, failed := a.whyWord(term); said {
						return failed
					}
					if near, ok := finding.Nearest(term, explain.Words()); ok {
						return fmt.Errorf("there is no term '%s'; did you mean '%s'?", term, near)
					}
					return fmt.Errorf("there is no term '%s'; 'ropeswing why' takes one thing, a term of the trade, or a device and an address",
						term)
				}
				return a.whyLookup(args[0], args[1])
			}
			for _, e := range finding.Catalogue() {
				if string(e.Name) == args[0] {
					data, table := view.Catalogue([]finding.Entry{e})
					return a.print(data[0], table, func() { view.Entry(a.out, e, a.width) })
				}
			}
			err := a.whyInPlan(args[0])
			if err != nil && !errors.Is(err, errSaid) {
				if said, failed := a.whyWord(args[0]); said {
					return failed
				}
			}
			return err
		},
		ValidArgsFunction: func(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return a.completeEndpoints(cmd, nil, word)
			}
			names, _ := a.completeNames(cmd, args, word)
			for _, t := range explain.Glossary() {
				names = append(names, t.Name)
			}
			return append(append(names, "protect"), finding.Names()...), cobra.ShellCompDirectiveNoFileComp
		},
	}
	a.formatFlags(cmd)
	return cmd
}

// isTerm tells whether the glossary has a word.
func isTerm(word string) bool {
	_, ok := explain.TermNamed(word)
	return ok
}

// whyWord explains a term of the trade, or a key of the plan. It is false where there is none.
func (a *app) whyWord(word string) (bool, error) {
	if t, ok := explain.TermNamed(word); ok {
		v := view.NewTerm(t)
		return true, a.print(v, view.Terms([]view.Term{v}), func() { v.Text(a.out, a.width) })
	}
	keys, where := explain.KeysNamed(word)
	if len(keys) == 0 {
		return false, nil
	}
	var all []view.Term
	for i, k := range keys {
		all = append(all, view.Term{Term: k.Name, Also: []string{}, Means: k.Doc, Key: k.Name, Where: where[i]})
	}
	return true, a.print(all, view.Terms(all), func() {
		for i, k := range keys {
			view.KeyText(a.out, k, where[i], a.width)
		}
	})
}

// whyInPlan explains something of the plan. Where there is no plan, a finding
// was meant.
func (a *app) whyInPlan(word string) error {
	near, isNear := finding.Nearest(word, finding.Names())
	if a.plan == "" && a.getenv("ROPESWING_PLAN") == "" {
		if _, err := files.FindPlan(a.dir); errors.Is(err, fs.ErrNotExist) {
			if isNear {
				return fmt.Errorf("there is no finding called %s; did you mean %s?", word, near)
			}
			return fmt.Errorf("there is no finding called %s, and no plan here; 'ropeswing why' lists the findings", word)
		}
	}
	found, err := a.find()
	if err != nil {
		return err
	}
	w, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
	if err != nil {
		return err
	}
	y, err := explain.Explain(w, word)
	if err != nil && (word == "protect" || word == "wants") && w.Spec.Wants != nil && a.format == "table" {
		x := w.Predict()
		fmt.Fprintf(a.out, "%s: %s, %s\n", word, x.Spec.Wants.Protect, view.Count(len(x.Derived.Statics), "line"))
		view.PricesText(a.out, x.Derived, derive.Prices(x.Spec), a.width)
		return nil
	}
	if err != nil {
		if isNear && !strings.Contains(err.Error(), "did you mean") {
			return fmt.Errorf("%w; did you mean %s?", err, near)
		}
		return err
	}
	v := view.NewWhy(y)
	return a.print(v, v.Table(), func() { v.Text(a.out, a.width) })
}

// whyLookup explains what a device does with a packet to an address.
func (a *app) whyLookup(device, address string) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	y, err := explain.Lookup(w, device, address)
	if err != nil {
		return err
	}
	v := view.NewWhy(y)
	return a.print(v, v.Table(), func() { v.Text(a.out, a.width) })
}
