package command

import (
	"bufio"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"strings"

	"ropeswing/core/prefix"
	"ropeswing/internal/files"
)

// operand is one thing to compute with, and where it came from for messages.
type operand struct{ text, where string }

// operands are the arguments, with '-' standing for the lines of standard
// input. A '#' begins a comment there, and empty lines are passed over.
func (a *app) operands(args []string) ([]operand, error) {
	var all []operand
	for _, arg := range args {
		if arg != "-" {
			all = append(all, operand{text: arg})
			continue
		}
		lines := bufio.NewScanner(a.in)
		lines.Buffer(make([]byte, 64<<10), 1<<20)
		for n := 1; lines.Scan(); n++ {
			text, _, _ := strings.Cut(lines.Text(), "#")
			if text = strings.TrimSpace(text); text != "" {
				all = append(all, operand{text, fmt.Sprintf("standard input:%d: ", n)})
			}
		}
		if err := lines.Err(); err != nil {
			return nil, fmt.Errorf("standard input: %w", err)
		}
	}
	return all, nil
}

// prefixes reads operands as subnets or addresses in them. A mask that is an
// argument of its own belongs to the bare address before it. A bare address is
// one of the given length, or where that is negative is whole.
func prefixes(operands []operand, length int, whole bool) ([]netip.Prefix, error) {
	var all []netip.Prefix
	for i := 0; i < len(operands); i++ {
		o := operands[i]
		if i+1 < len(operands) && o.where == "" && !strings.ContainsAny(o.text, "/ ") && isMask(o.text, operands[i+1].text) {
			i++
			o.text += " " + operands[i].text
		}
		p, bare, err := prefix.Parse(o.text)
		bare = bare && !strings.Contains(o.text, "/")
		switch {
		case err != nil:
			return nil, fmt.Errorf("%s%w", o.where, err)
		case bare && length > p.Addr().BitLen():
			return nil, fmt.Errorf("--len %d is no prefix length for %s", length, o.text)
		case bare && length >= 0:
			p = netip.PrefixFrom(p.Addr(), length)
		case bare && !whole:
			return nil, fmt.Errorf("%s%s has no prefix length; write %s/%d, or a mask behind it, or --len %d",
				o.where, o.text, o.text, usual(o.text), usual(o.text))
		}
		all = append(all, p)
	}
	return all, nil
}

// isMask tells whether next is the mask of the bare address before it.
func isMask(address, next string) bool {
	_, _, err := prefix.Parse(address + " " + next)
	m, maskErr := prefix.ParseAddress(strings.Trim(next, ",'\""))
	if maskErr != nil {
		return strings.HasPrefix(next, "255.") // meant as one: what is wrong with it is told
	}
	return m.Is4() && (err == nil || strings.HasPrefix(next, "255.") || strings.HasPrefix(next, "0."))
}

// subnets reads arguments, or lines of standard input, as subnets or addresses
// in them.
func (a *app) subnets(args []string, length int, whole bool) ([]netip.Prefix, error) {
	operands, err := a.operands(args)
	if err != nil {
		return nil, err
	}
	return prefixes(operands, length, whole)
}

// oneSubnet reads the one subnet, or address in it, that a command works on.
func (a *app) oneSubnet(args []string, example string) (netip.Prefix, error) {
	all, err := a.subnets(args, -1, false)
	switch {
	case err != nil:
		return netip.Prefix{}, err
	case len(all) != 1:
		return netip.Prefix{}, errors.New("name one: " + example)
	}
	return all[0], nil
}

// table reads a CSV file, or standard input where path is '-'.
func (a *app) table(path string, needed, optional []string) ([]files.Row, error) {
	if path == "-" {
		return files.ReadTable(a.in, "standard input", needed, optional)
	}
	file, err := a.opened(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return files.ReadTable(file, path, needed, optional)
}

// opened opens a file that was named, from where the command stands.
func (a *app) opened(path string) (*os.File, error) {
	full := path
	if !filepath.IsAbs(path) {
		full = filepath.Join(a.dir, path)
	}
	file, err := files.OpenPlain(full)
	if err != nil {
		return nil, fmt.Errorf("cannot read %s: %w", path, errors.Unwrap(err))
	}
	return file, nil
}

// usual is the prefix length that a LAN most often has, by the family of an address.
func usual(address string) int {
	if strings.Contains(address, ":") {
		return 64
	}
	return 24
}
