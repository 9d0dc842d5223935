package plan

import (
	"io/fs"
	"path"

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
		for _, t := range d.parts[i].included {
			inside := path.Join(path.Dir(d.parts[i].inside), t.Value)
			refuse := func(reason string, args ...any) {
				found = append(found, finding.New(finding.IncludeRefused, t.Place, reason, args...).About(t.Value))
			}
			switch {
			case fsys == nil:
				refuse("%s cannot be read: this plan is not in a folder", t.Value)
				continue
			case path.IsAbs(t.Value) || !fs.ValidPath(inside):
				refuse("%s is outside the plan's folder, and only files in it or below it are taken in", t.Value)
				continue
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
			r.whole(d, root, partKeys())
			found = append(found, r.found...)
			d.parts = append(d.parts, newPart(file, inside, root, r.include))
		}
	}
	return found
}
