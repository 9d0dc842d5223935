package command

import (
	"slices"

	"github.com/spf13/cobra"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/workspace"
)

// quietly opens the plan for completion: what cannot be opened completes to
// nothing.
func (a *app) quietly() (*workspace.Numbers, bool) {
	w, err := a.open()
	return w, err == nil && w.Usable()
}

const noFiles = cobra.ShellCompDirectiveNoFileComp

// completeDevices offers the plan's devices.
func (a *app) completeDevices(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	if w, ok := a.quietly(); ok {
		return w.DeviceNames(), noFiles
	}
	return nil, noFiles
}

// completeEndpoints offers devices and, behind a colon, their interfaces that
// have addresses.
func (a *app) completeEndpoints(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	w, ok := a.quietly()
	if !ok || len(args) >= 2 {
		return nil, noFiles
	}
	names := w.DeviceNames()
	for id := range w.Spec.Interfaces {
		if len(w.Spec.Interfaces[id].Addresses) > 0 {
			names = append(names, w.Spec.Label(model.InterfaceID(id)))
		}
	}
	return names, noFiles
}

// completeBlocks offers the plan's blocks.
func (a *app) completeBlocks(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	if w, ok := a.quietly(); ok {
		return w.BlockNames(), noFiles
	}
	return nil, noFiles
}

// completeParts offers all that can be out of order.
func (a *app) completeParts(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	if w, ok := a.quietly(); ok {
		return network.Build(w.Spec).PartNames(), noFiles
	}
	return nil, noFiles
}

// completeSegments offers the plan's segments.
func (a *app) completeSegments(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	w, ok := a.quietly()
	if !ok {
		return nil, noFiles
	}
	var names []string
	for i := range w.Spec.Segments {
		names = append(names, w.Spec.Segments[i].Name)
	}
	return names, noFiles
}

// completeGiven offers what may be asked to have another number.
func (a *app) completeGiven(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	w, ok := a.quietly()
	if !ok {
		return nil, noFiles
	}
	names, _ := a.completeSegments(cmd, args, typed)
	for b := range w.Spec.Blocks {
		if len(w.Spec.Blocks[b].From) > 0 {
			names = append(names, w.Spec.Blocks[b].Name)
		}
	}
	return names, noFiles
}

// completeParties offers whom a question may be from or to.
func (a *app) completeParties(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	w, ok := a.quietly()
	if !ok {
		return nil, noFiles
	}
	return w.PartyNames(), noFiles
}

// completeRetired offers whose numbers are retired.
func (a *app) completeRetired(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	w, ok := a.quietly()
	if !ok || w.Ledger == nil {
		return nil, noFiles
	}
	var names []string
	for _, e := range w.Ledger.Entries {
		if e.Retired && !slices.Contains(names, e.Owner) {
			names = append(names, e.Owner)
		}
	}
	return names, noFiles
}

// completeNames offers everything in the plan that has a name.
func (a *app) completeNames(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if w, ok := a.quietly(); ok && len(args) == 0 {
		return w.Names(), noFiles
	}
	return nil, noFiles
}
