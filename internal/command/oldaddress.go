package command

import (
	"context"
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/push"
	"ropeswing/internal/view"
)

// oldAddress is an address that a device had, or was to have, and what tells of it.
type oldAddress struct {
	netip.Addr
	by string
}

// mostOld is at how many old addresses a device is asked.
const mostOld = 4

// oldAddresses are where a device may still be that does not answer where the plan manages it: what it last was found with, where it
// was told something last, the numbers it had by the ledger, and where the plan managed it at the last two revisions. An address that
// the plan has for another device is none: somebody else would be asked, and told the secrets.
func (a *app) oldAddresses(w *workspace.Workspace) func(device string) []oldAddress {
	found, err := a.find()
	if err != nil {
		return func(string) []oldAddress { return nil }
	}
	state, _ := workspace.ReadState(os.DirFS(filepath.Join(filepath.Dir(found.Path), "observed")))
	log, _ := files.ReadPushLog(pushLogOf(found))
	var before []*model.Spec
	for _, revision := range []string{"HEAD", "HEAD~1"} {
		if then, err := files.Revision(found, revision); err == nil {
			if n := workspace.Open(then.FS, then.Name, then.Shown); n.Usable() {
				before = append(before, n.Spec)
			}
		}
	}
	return func(device string) []oldAddress {
		d, ok := w.Spec.DeviceNamed(device)
		if !ok {
			return nil
		}
		var all []oldAddress
		add := func(at netip.Addr, by string) {
			at = at.WithZone("")
			if !at.IsValid() || at.IsLoopback() || at.IsLinkLocalUnicast() || at.IsMulticast() || len(all) == mostOld ||
				!push.MayBeAt(w.Spec, d, at) || w.Spec.MainAddress(d, prefix.FamilyOf(at)) == at ||
				slices.ContainsFunc(all, func(o oldAddress) bool { return o.Addr == at }) {
				return
			}
			all = append(all, oldAddress{at, by})
		}
		for _, s := range state {
			if s.Name != device {
				continue
			}
			for i := range s.Interfaces {
				for _, at := range s.Interfaces[i].Addresses {
					add(at.Addr(), "the state observed")
				}
			}
		}
		for _, e := range slices.Backward(log) {
			if at, err := netip.ParseAddrPort(e.At); err == nil && e.Device == device {
				add(at.Addr(), "the journal")
			}
		}
		if w.Ledger != nil {
			for _, e := range w.Ledger.Entries {
				if owner, _, _ := strings.Cut(e.Owner, ":"); owner == device && e.Retired && e.Prefix.IsValid() {
					add(e.Prefix.Addr(), "the ledger")
				}
			}
		}
		for _, spec := range before {
			if d, ok := spec.DeviceNamed(device); ok {
				for _, family := range prefix.Families {
					add(spec.MainAddress(d, family), "the plan before")
				}
			}
		}
		return all
	}
}

// pushLogOf is the journal of what devices were told, beside the plan.
func pushLogOf(plan files.Found) string {
	return strings.TrimSuffix(plan.Path, strings.TrimPrefix(files.PlanPattern, "*")) + ".push.jsonl"
}

// askElsewhere asks those of whom nothing was heard, or nothing that is known to be of them, at the addresses that they had,
// and puts in what came of it.
func (a *app) askElsewhere(ctx context.Context, w *workspace.Workspace, targets []live.Target, results []live.Result,
	o live.Options) error {
	var again []live.Target
	var of []int
	var by []string
	var had func(string) []oldAddress
	for i := range results {
		ways := slices.DeleteFunc(slices.Clone(targets[i].Ways), func(w access.Way) bool { return w.At != "" && !strings.HasPrefix(w.At, ":") })
		if len(ways) == 0 || !results[i].Unmet() {
			continue
		}
		if had == nil {
			had = a.oldAddresses(w)
		}
		for _, old := range had(results[i].Name) {
			again = append(again, live.Target{Name: targets[i].Name, Address: old.String(), Ways: ways})
			of, by = append(of, i), append(by, old.by)
		}
	}
	if len(again) == 0 {
		return nil
	}
	more, err := live.Ask(ctx, again, o, a.progress)
	if err != nil {
		return err
	}
	for n := range more {
		if r := &results[of[n]]; r.Device == nil && more[n].Device != nil {
			*r = more[n]
			r.Elsewhere = fmt.Sprintf("%s, which it had by %s", again[n].Address, by[n])
		}
	}
	for i := range results {
		if n := len(slices.DeleteFunc(slices.Clone(of), func(x int) bool { return x != i })); n > 0 && results[i].Device == nil {
			f := &results[i].Failures[0]
			f.Err = fmt.Errorf("%w; nor at %s that it had", f.Err, view.Count(n, "address"))
		}
	}
	return nil
}
