package view

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/finding"
)

// JSON writes data, indented, without turning < and > into codes.
func JSON(w io.Writer, data any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	if err := e.Encode(data); err != nil {
		return err
	}
	_, err := w.Write(cleanJSON(b.Bytes()))
	return err
}

// cleanJSON is JSON in which what is not fit for a terminal is written by its code; it
// stands for the same.
func cleanJSON(raw []byte) []byte {
	if bytes.IndexFunc(raw, inJSON) < 0 {
		return raw
	}
	var b bytes.Buffer
	for _, c := range string(raw) {
		if inJSON(c) {
			fmt.Fprintf(&b, "\\u%04x", c)
		} else {
			b.WriteRune(c)
		}
	}
	return b.Bytes()
}

// inJSON tells whether a character of a JSON text, which is one of its strings', is not fit
// for a terminal. Its line breaks are its layout.
func inJSON(c rune) bool { return c != '\n' && unsafe(c) }

// Only writes the bare value of one field of data's JSON form, a line each
// where data is a list or the value is one. The error names the fields there
// are.
func Only(w io.Writer, data any, field string) error {
	raw, err := json.Marshal(data)
	if err != nil {
		return err
	}
	var value any
	if err := json.Unmarshal(raw, &value); err != nil {
		return err
	}
	objects, ok := value.([]any)
	if !ok {
		objects = []any{value}
	}
	var values []any
	known := map[string]bool{}
	for _, o := range objects {
		object, ok := o.(map[string]any)
		if !ok {
			continue
		}
		for name := range object {
			known[name] = true
		}
		if v, ok := object[field]; ok {
			values = append(values, v)
		}
	}
	if len(values) == 0 && len(objects) > 0 {
		var names []string
		for name := range known {
			names = append(names, name)
		}
		slices.Sort(names)
		if near, ok := finding.Nearest(field, names); ok {
			return fmt.Errorf("there is no field %s here; did you mean %s?", field, near)
		}
		return fmt.Errorf("there is no field %s here; there are %s", field, strings.Join(names, ", "))
	}
	for _, v := range values {
		writeBare(w, v)
	}
	return nil
}

func writeBare(w io.Writer, v any) {
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			writeBare(w, x)
		}
	case string:
		fmt.Fprintln(w, Clean(v))
	case float64:
		fmt.Fprintln(w, int64(v)) // every number in our JSON is whole
	case map[string]any:
		raw, _ := json.Marshal(v) // it was JSON a moment ago
		fmt.Fprintln(w, string(cleanJSON(raw)))
	default:
		fmt.Fprintln(w, v)
	}
}
