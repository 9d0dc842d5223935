package standin

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"text/template"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/observed"
)

// Lists are the texts that a device prints when it is asked by some words: templates of what it
// says of itself.
type Lists map[string]*template.Template

// words of the lists that are built in, in a layout of this program's own, with what each tells.
var builtIn = []struct{ words, text string }{
	{"list interfaces", "name\tkind\tset\tis\tmtu\tspeed\tmac\tgroup\tnote\n" +
		"{{range .Interfaces}}{{.Name}}\t{{or .Type \"-\"}}\t{{.Admin}}\t{{.Oper}}\t{{.MTU}}\t{{.Speed}}\t{{or .MAC \"-\"}}\t{{group " +
		".}}\t{{or .Description \"-\"}}\n{{end}}"},
	{"list addresses", "interface\taddress\torigin\n{{range $i := .Interfaces}}{{range .Addresses}}{{$i.Name}}\t{{.Prefix}}\t{{or .Origin " +
		"\"static\"}}\n{{end}}{{end}}"},
	{"list routes", "to\tby\tout\tfrom\tdistance\tmetric\tuse\ttable\n" +
		"{{range .Routes}}{{.To}}\t{{hop .}}\t{{or .Interface \"-\"}}\t{{or .Source \"-\"}}\t{{number .Distance}}\t{{number " +
		".Metric}}\t{{use .}}\t{{or .Table \"main\"}}\n{{end}}"},
	{"list vlans", "port\tuntagged\ttagged\n{{range .Interfaces}}{{if .Untagged}}{{.Name}}\t{{number .Untagged}}\t{{tagged .}}\n" +
		"{{end}}{{end}}"},
	{"list neighbours", "address\tmac\tinterface\n{{range .Neighbours}}{{.Address}}\t{{.MAC}}\t{{.Interface}}\n{{end}}"},
	{"list links", "interface\tdevice\tport\n{{range .Links}}{{.Interface}}\t{{.Device}}\t{{.Port}}\n{{end}}"},
}

var functions = template.FuncMap{
	"number": func(n *int) string {
		if n == nil {
			return "-"
		}
		return fmt.Sprint(*n)
	},
	"group": func(i observed.Interface) string {
		if i.Group == nil || *i.Group == "" {
			return "-"
		}
		return *i.Group
	},
	"tagged": func(i observed.Interface) string {
		if len(i.Tagged) == 0 {
			return "-"
		}
		return strings.Trim(strings.ReplaceAll(fmt.Sprint(i.Tagged), " ", ","), "[]")
	},
	"hop": func(r observed.Route) string {
		switch {
		case r.Discard:
			return "discard"
		case r.NextHop.IsValid():
			return r.NextHop.String()
		}
		return "-"
	},
	"use": func(r observed.Route) string {
		if r.Active != nil && !*r.Active {
			return "waits"
		}
		return "used"
	},
}

// BuiltIn is the lists in this program's own layout.
func BuiltIn() Lists {
	all := Lists{}
	for _, b := range builtIn {
		all[b.words] = template.Must(template.New(b.words).Funcs(functions).Parse(b.text))
	}
	return all
}

// ReadLists reads lists of a user's own: YAML with the words and the template of each. They stand
// beside those that are built in.
func ReadLists(text []byte) (Lists, error) {
	var file struct {
		Lists map[string]string `yaml:"lists"`
	}
	if err := yaml.Unmarshal(text, &file); err != nil {
		return nil, err
	}
	if len(file.Lists) == 0 {
		return nil, errors.New("it has no lists: write 'lists: {\"WORDS\": \"TEMPLATE\"}'")
	}
	all := BuiltIn()
	for words, text := range file.Lists {
		t, err := template.New(words).Funcs(functions).Parse(text)
		if err != nil {
			return nil, fmt.Errorf("the list %q: %w", words, err)
		}
		all[words] = t
	}
	return all, nil
}

// print prints a list; false where there is none of that name.
func (l Lists) print(w io.Writer, words string, d *observed.Device) (bool, error) {
	t, ok := l[words]
	if !ok {
		return false, nil
	}
	var b bytes.Buffer
	if err := t.Execute(&b, d); err != nil {
		return true, err
	}
	table := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	if _, err := table.Write(b.Bytes()); err != nil {
		return true, err
	}
	return true, table.Flush()
}
