package plan

import (
	"bytes"
	"io"
	"io/fs"
	"path"
	"slices"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// Edited is the plan as it is read again with edits made in its files, in memory: nothing is
// written. The findings are those of reading it.
func (d *Document) Edited(edits ...Edit) (*Document, []finding.Finding) {
	texts := overlay{}
	for _, p := range d.parts {
		texts[p.inside] = Apply(p.file, edits...)
	}
	own := d.parts[0]
	return readAll(texts, source.New(own.file.Name, texts[own.inside]), own.inside)
}

// overlay is files in memory, by their names.
type overlay map[string][]byte

// Open implements fs.FS.
func (o overlay) Open(name string) (fs.File, error) {
	text, ok := o[name]
	if !ok {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	return overlaid{bytes.NewReader(text), overlaidInfo{name: name, size: int64(len(text))}}, nil
}

// Glob implements fs.GlobFS: a star stands for the files there are.
func (o overlay) Glob(pattern string) ([]string, error) {
	var names []string
	for name := range o {
		match, err := path.Match(pattern, name)
		if err != nil {
			return nil, err
		}
		if match {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names, nil
}

type overlaid struct {
	io.Reader
	info overlaidInfo
}

func (f overlaid) Stat() (fs.FileInfo, error) { return f.info, nil }
func (f overlaid) Close() error               { return nil }

// overlaidInfo has no time of change: nobody asks for one.
type overlaidInfo struct {
	fs.FileInfo
	name string
	size int64
}

func (i overlaidInfo) Name() string      { return i.name }
func (i overlaidInfo) Size() int64       { return i.size }
func (i overlaidInfo) Mode() fs.FileMode { return 0o444 }
func (i overlaidInfo) IsDir() bool       { return false }
func (i overlaidInfo) Sys() any          { return nil }

// Scalars are the words of the plan by where they stand for themselves, as a key or a value
// of YAML: not a part of a sentence, nor of DEVICE:INTERFACE.
func (d *Document) Scalars() map[source.Place]string {
	all := map[source.Place]string{}
	for _, p := range d.parts {
		r := &reader{file: p.file}
		var walk func(*yaml.Node)
		walk = func(n *yaml.Node) {
			if n.Kind == yaml.ScalarNode {
				all[r.place(n)] = n.Value
			}
			for _, c := range n.Content {
				walk(c)
			}
		}
		if root := p.tree(nil); root != nil {
			walk(root)
		}
	}
	return all
}
