package command

import (
	"bufio"
	"errors"
	"fmt"
	"math/big"
	"net/netip"

	"github.com/spf13/cobra"

	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

func (a *app) split() *cobra.Command {
	var into, hosts string
	length := -1
	cmd := &cobra.Command{
		Use:     "split PREFIX",
		Short:   "Cut a subnet into equal parts",
		GroupID: groupArithmetic,
		Example: "  ropeswing split 10.48.0.0/20 --into 4\n  ropeswing split 10.48.0.0/20 --len 24\n  ropeswing split 10.48.0.0/20 --hosts " +
			"100\n  ropeswing split 2001:db8:5ea::/48 --len 52 -o csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			p, err := a.oneSubnet(args, "ropeswing split 10.48.0.0/20 --into 4")
			if err != nil {
				return err
			}
			p = p.Masked()
			l, err := partLength(p, into, length, hosts)
			if err != nil {
				return err
			}
			if err := a.printParts(p, l); err != nil || !a.explain || a.format != formatTable || a.only != "" {
				return err
			}
			view.SplitWorking(a.out, p, l, a.width)
			return nil
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringVar(&into, "into", "", "at least `N` parts")
	cmd.Flags().IntVar(&length, "len", -1, "parts of this prefix `LENGTH`")
	cmd.Flags().StringVar(&hosts, "hosts", "", "the smallest parts with `H` usable addresses")
	a.explainFlag(cmd, "show the working: which bits count the parts")
	a.formatFlags(cmd)
	return cmd
}

// partLength is the length of the parts that the one option given asks for.
func partLength(p netip.Prefix, into string, length int, hosts string) (int, error) {
	given := 0
	for _, set := range []bool{into != "", length >= 0, hosts != ""} {
		if set {
			given++
		}
	}
	if given != 1 {
		return 0, errors.New("say how to split: one of --into N, --len LENGTH, --hosts H")
	}
	switch {
	case into != "":
		n, err := positive(into, "--into")
		if err != nil {
			return 0, err
		}
		l, ok := prefix.LengthForParts(p, n)
		if !ok {
			return 0, fmt.Errorf("%s has %s addresses, and cannot be split into %s parts", p, prefix.Addresses(p), n)
		}
		return l, nil
	case hosts != "":
		n, err := positive(hosts, "--hosts")
		if err != nil {
			return 0, err
		}
		l, ok := prefix.LengthForHosts(prefix.FamilyOf(p.Addr()), n)
		if !ok || l < p.Bits() {
			return 0, fmt.Errorf("%s has %s usable addresses, fewer than %s", p, prefix.Usable(p), n)
		}
		return l, nil
	case length < p.Bits() || length > p.Addr().BitLen():
		return 0, fmt.Errorf("the parts of %s have lengths from %d to %d, not %d", p, p.Bits(), p.Addr().BitLen(), length)
	}
	return length, nil
}

// positive reads a whole number of any size from 1 on.
func positive(text, what string) (*big.Int, error) {
	n, ok := new(big.Int).SetString(text, 10)
	if !ok || n.Sign() < 1 {
		return nil, fmt.Errorf("%s is a whole number from 1 on, not %s", what, text)
	}
	return n, nil
}

// printParts streams the parts: there may be more than fit in memory.
func (a *app) printParts(p netip.Prefix, length int) error {
	w := bufio.NewWriterSize(a.raw, 1<<16)
	before, between, after := "", "\n", "\n"
	line := func(b []byte, part netip.Prefix) []byte { return part.AppendTo(b) }
	switch {
	case a.only != "":
		if a.only != "prefix" {
			return fmt.Errorf("there is no field %s here; there is prefix", a.only)
		}
	case a.format == formatJSON:
		before, between, after = "[\n", ",\n", "\n]\n"
		line = func(b []byte, part netip.Prefix) []byte {
			b = append(part.AppendTo(append(b, `  {"prefix": "`...)), `", "first": "`...)
			b = append(prefix.First(part).AppendTo(b), `", "last": "`...)
			return append(prefix.Last(part).AppendTo(b), `"}`...)
		}
	case a.format == formatCSV || a.format == formatRawCSV:
		before = "prefix,first,last\n"
		line = func(b []byte, part netip.Prefix) []byte {
			b = append(part.AppendTo(b), ',')
			b = append(prefix.First(part).AppendTo(b), ',')
			return prefix.Last(part).AppendTo(b)
		}
	case a.format == formatMarkdown:
		before = "| subnet | first usable | last usable |\n| --- | --- | --- |\n"
		line = func(b []byte, part netip.Prefix) []byte {
			b = append(part.AppendTo(append(b, "| "...)), " | "...)
			b = append(prefix.First(part).AppendTo(b), " | "...)
			return append(prefix.Last(part).AppendTo(b), " |"...)
		}
	}
	buffer := []byte(before)
	first := true
	for part := range prefix.Split(p, length) {
		if !first {
			buffer = append(buffer, between...)
		}
		first = false
		if buffer = line(buffer, part); len(buffer) > 1<<15 {
			if _, err := w.Write(buffer); err != nil {
				return fmt.Errorf("cannot write the answer: %w", err)
			}
			buffer = buffer[:0]
		}
	}
	if _, err := w.Write(append(buffer, after...)); err != nil {
		return fmt.Errorf("cannot write the answer: %w", err)
	}
	return w.Flush()
}
