package workspace

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
)

// ReadState reads a folder of observed files, one device each. It is all or nothing:
// half a state is none.
func ReadState(fsys fs.FS) ([]*observed.Device, error) {
	entries, err := fs.ReadDir(fsys, ".")
	if err != nil {
		var cause *fs.PathError
		if errors.As(err, &cause) {
			err = cause.Err
		}
		return nil, err
	}
	var all []*observed.Device
	by := map[string]string{}
	for _, e := range entries {
		if e.IsDir() || path.Ext(e.Name()) != ".json" || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		if info, err := e.Info(); err == nil && info.Size() > observed.LargestFile {
			return nil, fmt.Errorf("%s: it has %d MB; %d are the most", e.Name(), info.Size()>>20, observed.LargestFile>>20)
		}
		text, err := fs.ReadFile(fsys, e.Name())
		if err != nil {
			return nil, fmt.Errorf("%s: it cannot be read", e.Name())
		}
		d, err := observed.Decode(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Name(), err)
		}
		if other, twice := by[d.Name]; twice {
			return nil, fmt.Errorf("%s and %s both say that they are %s", other, e.Name(), d.Name)
		}
		by[d.Name] = e.Name()
		all = append(all, d)
	}
	if len(all) == 0 {
		return nil, errors.New("there is no observed file in it; 'ropeswing observe FILE… -w FOLDER' makes some")
	}
	return all, nil
}

// Compare compares the plan with what was observed.
func (w *Workspace) Compare(devices []*observed.Device) *compare.Result {
	return compare.Compare(w.Tables, devices)
}

// AsObserved is the plan as its devices would tell of it.
func (w *Workspace) AsObserved() []*observed.Device { return compare.AsObserved(w.Tables) }

// Observed is the same workspace with the network as it was found: where nothing was
// observed, as planned. Basis is what answers stand on then.
func (w *Workspace) Observed(devices []*observed.Device, basis string) *Workspace {
	next := *w
	next.Tables = compare.Overlay(w.Tables, devices)
	next.Spec = next.Tables.State.Spec
	next.Basis = basis
	next.found = true
	return &next
}
