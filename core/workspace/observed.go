package workspace

import (
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"path"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/parallel"
)

// ErrNoFile is that a folder is no state.
var ErrNoFile = errors.New("there is no observed file in it; 'observe FILE… -w FOLDER' makes some")

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
	entries = slices.DeleteFunc(entries, func(e fs.DirEntry) bool {
		return e.IsDir() || path.Ext(e.Name()) != ".json"
	})
	all, errs := make([]*observed.Device, len(entries)), make([]error, len(entries))
	parallel.Each(len(entries), func(i int) { all[i], errs[i] = readDevice(fsys, entries[i]) })
	by := map[string]string{}
	for i, e := range entries {
		if errs[i] != nil {
			return nil, errs[i]
		}
		if other, twice := by[all[i].Name]; twice {
			return nil, fmt.Errorf("%s and %s both say that they are %s", other, e.Name(), all[i].Name)
		}
		by[all[i].Name] = e.Name()
	}
	if len(all) == 0 {
		return nil, ErrNoFile
	}
	return all, nil
}

// SavedFolder is the folder in a state that holds what devices have saved, where that
// was observed beside what runs.
const SavedFolder = "saved"

// ReadSaved reads what devices of a state have saved; none where that was not observed.
func ReadSaved(fsys fs.FS) ([]*observed.Device, error) {
	if _, err := fs.Stat(fsys, SavedFolder); err != nil {
		return nil, nil
	}
	inside, err := fs.Sub(fsys, SavedFolder)
	if err != nil {
		return nil, err
	}
	all, err := ReadState(inside)
	if err != nil {
		return nil, fmt.Errorf("%s/%w", SavedFolder, err)
	}
	return all, nil
}

// readDevice reads one file of a state.
func readDevice(fsys fs.FS, e fs.DirEntry) (*observed.Device, error) {
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
	return d, nil
}

// Compare compares the plan with what was observed.
func (w *Workspace) Compare(devices []*observed.Device) *compare.Result {
	return compare.Compare(w.Network, devices)
}

// Differences compares the plan with what was observed, item by item; what each breaks by
// itself is not worked out.
func (w *Workspace) Differences(devices []*observed.Device) *compare.Result {
	return compare.Differences(w.Network, devices)
}

// StepsFrom compares the plan with another from which one starts, and lists apart what the
// two say otherwise and nothing can be set for.
func (w *Workspace) StepsFrom(other *Workspace) (*compare.Result, []compare.Difference) {
	devices := compare.AsObserved(other.Network)
	compare.WithPorts(w.Spec, devices)
	r := compare.Differences(w.Network, devices)
	r.New, r.NotKnown = r.NotKnown, nil // there is nothing to observe of them yet
	return r, r.AddFrom(w.Spec, other.Spec)
}

// StandingAt is the same workspace with the operator at another host.
func (w *Workspace) StandingAt(d model.DeviceID) *Workspace {
	next, spec := *w, *w.Spec
	spec.Operator = d
	next.Spec = &spec
	next.Network = forward.Resolve(network.Build(&spec).State(w.Network.State.Failures()...))
	return &next
}

// Progress is how far each device is from what is planned of it, and what is done.
func (w *Workspace) Progress(devices, saved []*observed.Device) ([]compare.Progress, []compare.Done) {
	return compare.ProgressOf(w.Network, devices, saved)
}

// ComparePlan compares the plan with another, item by item; what each breaks by itself is not worked out.
func (w *Workspace) ComparePlan(other *Workspace) *compare.Result {
	r := compare.Differences(w.Network, compare.AsObserved(other.Network))
	r.Untold = nil // it is compared
	r.Devices(w.Spec, other.Spec)
	r.Sentences(w.Spec, other.Spec)
	r.Facts(w.Spec, other.Spec)
	r.Once()
	return r
}

// Between compares what was observed with an earlier state, or with what is saved.
func (w *Workspace) Between(before, after []*observed.Device) *compare.Result {
	return compare.Between(w.Network, before, after)
}

// Observed is the same workspace with the network as it was found: where nothing was
// observed, as planned. Basis is what answers stand on then.
func (w *Workspace) Observed(devices []*observed.Device, basis string) *Workspace {
	next := *w
	next.Network = compare.Overlay(w.Network, devices)
	next.Spec = next.Network.Spec
	next.Basis = basis
	next.Found = true
	return &next
}

// AsFound is the network as it was found where there is no plan: that of the draft of
// it, called name. The findings are why it is not of use.
func AsFound(name string, devices []*observed.Device, basis string) (*Workspace, []finding.Finding) {
	n := FromText(name, compare.Draft(devices))
	if !n.Usable() {
		return nil, n.Slips()
	}
	w := n.Predict()
	w.Spec.Statics = slices.Clone(w.Spec.Statics)
	for _, o := range devices {
		d, ok := w.Spec.DeviceNamed(o.Name)
		if !ok {
			continue
		}
		learned := map[netip.Prefix]bool{}
		for _, r := range o.Routes {
			learned[r.To] = learned[r.To] || r.Source != "" && r.Source != "static"
		}
		first, last := w.Spec.StaticsOf(d)
		for i := first; i < last; i++ {
			if learned[w.Spec.Statics[i].To] {
				w.Spec.Statics[i].Origin = model.Learned
			}
		}
	}
	w.Network = forward.Resolve(network.Build(w.Spec).State())
	return w.Observed(devices, basis), nil
}
