package command

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

// fitOptions are how needs are to be fitted.
type fitOptions struct {
	needs   string
	used    []string
	grow    string
	own     int
	inOrder bool
	nibbles bool
}

func (a *app) fit() *cobra.Command {
	var o fitOptions
	cmd := &cobra.Command{
		Use:     "fit BLOCK NAME:HOSTS…",
		Short:   "Give each need the smallest subnet of a block that holds it",
		GroupID: groupArithmetic,
		Long: "Give each need the smallest subnet of a block that holds it. Needs of a file\n" +
			"may name a site each: then every site gets a block of its own, and its needs\n" +
			"their subnets within. 'ropeswing new --from' makes a plan of the same file.",
		Example: "  ropeswing fit 10.48.0.0/23 desks:42 servers:12 guests:100 beam:/31\n  ropeswing fit 10.48.0.0/23 desks:42 servers:12 " +
			"--grow 50% --used 10.48.0.0/26\n  ropeswing fit 10.48.0.0/20 --needs needs.csv -o csv\n  ropeswing fit 10.48.0.0/23 desks:62 " +
			"--own 1 --explain\n  ropeswing fit 2001:db8:5ea::/48 desks:42 servers:12 annex:/57 --nibbles",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) == 0 {
				return errors.New("name the block and what goes into it: ropeswing fit 10.48.0.0/23 desks:42 servers:12")
			}
			block, err := a.oneSubnet(args[:1], "ropeswing fit 10.48.0.0/23 desks:42")
			if err != nil {
				return err
			}
			block = block.Masked()
			needs, err := a.gatherNeeds(block, args[1:], o)
			if err != nil {
				return err
			}
			var usedOperands []operand
			for _, u := range o.used {
				usedOperands = append(usedOperands, operand{text: u})
			}
			used, err := prefixes(usedOperands, -1, true)
			if err != nil {
				return err
			}
			return a.printFit(block, used, needs, o.inOrder)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringVar(&o.needs, "needs",
		"", "read needs from a CSV `FILE` with the columns name, hosts (or a length such as /31) and, if you like, site; - is standard input")
	cmd.Flags().IntVar(&o.own, "own", 0, "add `N` addresses of routers and switches to every need by hosts, as a plan counts them")
	a.explainFlag(cmd, "show the working: how each need became a length, and found its place")
	cmd.Flags().StringSliceVar(&o.used, "used", nil, "this `PREFIX` of the block is taken; repeatable")
	cmd.Flags().StringVar(&o.grow, "grow", "0%", "add so many `PERCENT` to every need by hosts")
	cmd.Flags().BoolVar(&o.inOrder, "keep-order", false, "let the subnets lie in the order of the needs")
	cmd.Flags().BoolVar(&o.nibbles, "nibbles", false, "IPv6: make every length a multiple of four")
	a.formatFlags(cmd)
	a.wideFlag(cmd)
	return cmd
}

// gatherNeeds reads the needs of the command line and of a file.
func (a *app) gatherNeeds(block netip.Prefix, args []string, o fitOptions) ([]prefix.Need, error) {
	percent, ok := strings.CutSuffix(o.grow, "%")
	grow, err := strconv.Atoi(percent)
	if err != nil || grow < 0 || !ok && o.grow != "0" {
		return nil, fmt.Errorf("--grow is a percentage such as 50%%, not %s", o.grow)
	}
	if o.own < 0 || o.own > 1<<20 {
		return nil, fmt.Errorf("--own is a number of addresses, not %d", o.own)
	}
	var texts []needText
	for _, arg := range args {
		texts = append(texts, needText{operand: operand{text: strings.Trim(arg, ",'\" ")}})
	}
	if o.needs != "" {
		more, err := a.needsFrom(o.needs)
		if err != nil {
			return nil, err
		}
		texts = append(texts, more...)
	}
	if len(texts) == 0 {
		return nil, errors.New("there is nothing to fit; name needs such as desks:42, or a file with --needs")
	}
	var needs []prefix.Need
	seen := map[string]bool{}
	for _, t := range texts {
		n, err := readNeed(t, block, grow, o.own)
		if err != nil {
			return nil, err
		}
		if o.nibbles && block.Addr().Is6() {
			n = onNibble(n)
		}
		if _, err := strconv.Atoi(t.text); err == nil { // several of one size, without names
			for k, name := 2, n.Name; seen[n.Site+"\x00"+n.Name]; k++ {
				n.Name = fmt.Sprintf("%s (%d)", name, k)
			}
		}
		if key := n.Site + "\x00" + n.Name; seen[key] {
			return nil, fmt.Errorf("%s%s stands twice among the needs", t.named, n.Name)
		} else {
			seen[key] = true
		}
		needs = append(needs, n)
	}
	return needs, nil
}

// onNibble makes a need's length a multiple of four.
func onNibble(n prefix.Need) prefix.Need {
	if n.Length == 0 {
		n.Length, _ = prefix.LengthForHosts(prefix.IPv6, n.Hosts)
	}
	n.Length = n.Length / 4 * 4
	return n
}

// readNeed reads NAME:HOSTS or NAME:/LENGTH.
func readNeed(o needText, block netip.Prefix, grow, own int) (prefix.Need, error) {
	colon := strings.LastIndexByte(o.text, ':')
	if _, err := strconv.Atoi(o.text); err == nil { // a number alone is one of hosts, which names itself
		o.text, colon = o.text+" hosts:"+o.text, len(o.text)+6
	}
	if colon < 1 {
		return prefix.Need{}, fmt.Errorf("%s%s is no need; write NAME:HOSTS, NAME:/LENGTH or HOSTS", o.where, o.text)
	}
	name, amount := strings.TrimSpace(o.text[:colon]), strings.TrimSpace(o.text[colon+1:])
	if strings.IndexFunc(name, func(c rune) bool { return c < ' ' }) >= 0 {
		return prefix.Need{}, fmt.Errorf("%sthe name of a need holds a control character", o.where)
	}
	if length, ok := strings.CutPrefix(amount, "/"); ok {
		n, err := strconv.Atoi(length)
		if err != nil || n < block.Bits() || n > block.Addr().BitLen() || n == 0 {
			return prefix.Need{}, fmt.Errorf("%s%s: lengths in %s are from %d to %d", o.where, o.text, block, max(1, block.Bits()),
				block.Addr().BitLen())
		}
		return prefix.Need{Name: name, Site: o.site, Length: n}, nil
	}
	hosts, err := positive(amount, "the hosts of "+name)
	if err != nil {
		return prefix.Need{}, fmt.Errorf("%s%w", o.where, err)
	}
	need := prefix.NeedOf(name, hosts, grow, own)
	need.Site = o.site
	return need, nil
}

// needText is a need as written, and the site it is of.
type needText struct {
	operand
	site  string
	named string // where its name stands, of a file
}

// needsFrom reads a CSV file with the columns name and hosts, and perhaps site.
func (a *app) needsFrom(path string) ([]needText, error) {
	rows, err := a.table(path, []string{"name", "hosts"}, []string{"site"})
	if err != nil {
		return nil, err
	}
	var all []needText
	for _, r := range rows {
		if strings.ContainsFunc(r.Fields["site"], unicode.IsControl) {
			return nil, fmt.Errorf("%sthe name of a site holds a control character", r.In("site"))
		}
		all = append(all, needText{operand{r.Fields["name"] + ":" + r.Fields["hosts"], r.In("hosts")}, r.Fields["site"], r.In("name")})
	}
	return all, nil
}

func (a *app) printFit(block netip.Prefix, used []netip.Prefix, needs []prefix.Need, inOrder bool) error {
	fitted, err := prefix.Fit(block, used, needs, inOrder)
	var unfit *prefix.Unfit
	switch {
	case errors.As(err, &unfit):
		v := view.NewUnfit(block, len(needs), unfit)
		if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide, false) }); err != nil {
			return err
		}
		return errWrong
	case err != nil:
		return err
	}
	v := view.NewFit(fitted)
	return a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide, a.explain) })
}
