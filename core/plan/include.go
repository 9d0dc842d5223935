package plan

import (
	"io/fs"
	"path"
	"strings"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// mostFiles is how many files one plan may be made of.
const mostFiles = 1000

// inPart are the top keys that a file taken in by another may have.
var inPart = map[string]bool{"ropeswing": true, "include": true, "blocks": true, "segments": true, "devices": true, "cables": true}

func partKeys() []key[Document] {
	var keys []key[Document]
	for _, k := range topKeys() {
		if inPart[k.name] {
			keys = append(keys, k)
		}
	}
	return keys
}

func (r *reader) includes(_ *Document, n *yaml.Node, what string) {
	r.include = r.words(n, "a file to include")
}

// includeAll reads the files that the document's own file names, and those
// that they name. Name is that of the document's own file within fsys.
func includeAll(fsys fs.FS, d *Document, name string, budget *int) []finding.Finding {
	var found []finding.Finding
	bytes := len(d.File.Text)
	seen := map[string]bool{path.Clean(name): true}
	for i := 0; i < len(d.parts); i++ {
		refuse := func(t Text, reason string, args ...any) {
			found = append(found, finding.New(finding.IncludeRefused, t.Place, reason, args...).About(t.Value))
		}
		dir := path.Dir(d.parts[i].inside)
		for _, m := range matched(fsys, dir, d.parts[i].included, refuse) {
			t := m.Text
			inside := path.Join(dir, t.Value)
			refuse := func(reason string, args ...any) { refuse(t, reason, args...) }
			switch {
			case fsys == nil:
				refuse("%s cannot be read: this plan is not in a folder", t.Value)
				continue
			case path.IsAbs(t.Value) || !fs.ValidPath(inside):
				refuse("%s is outside the plan's folder, and only files in it or below it are taken in", t.Value)
				continue
			case seen[inside] && m.byStar:
				continue // a star stands for those that are not named
			case seen[inside]:
				refuse("%s is a part of the plan already", t.Value)
				continue
			case len(d.parts) >= mostFiles:
				refuse("a plan is made of %d files at most", mostFiles)
				continue
			}
			seen[inside] = true
			text, err := load(fsys, inside)
			if err != nil {
				refuse("%s cannot be read: %s", t.Value, err)
				continue
			}
			if bytes += len(text); bytes > LargestFile {
				refuse("with %s the plan has more than %d MB, the most its files may have together", t.Value, LargestFile>>20)
				return found
			}
			file := source.New(path.Join(path.Dir(d.parts[i].file.Name), t.Value), text)
			root, f := tree(file)
			if root == nil {
				found = append(found, f)
				continue
			}
			r := &reader{file: file, budget: budget}
			fields(r, root, "the plan", partKeys(), d) // the head is that of the plan
			found = append(found, r.found...)
			d.parts = append(d.parts, newPart(file, inside, root, r.include))
		}
	}
	return found
}

// match is a file to include.
type match struct {
	Text
	byStar bool // it is not named itself
}

// matched is the files that are named, those in the place of a star in the order of their names. A star that stands for none is refused.
func matched(fsys fs.FS, dir string, named []Text, refuse func(t Text, reason string, args ...any)) []match {
	var all []match
	for _, t := range named {
		if !strings.Contains(t.Value, "*") || fsys == nil {
			all = append(all, match{Text: t})
			continue
		}
		names, err := fs.Glob(fsys, path.Join(dir, t.Value))
		if err != nil || len(names) == 0 {
			refuse(t, "no file is called %s", t.Value)
		}
		for _, name := range names {
			one := t
			one.Value = strings.TrimPrefix(strings.TrimPrefix(name, dir), "/")
			all = append(all, match{one, true})
		}
	}
	return all
}
