// Package coretest makes networks from plan text for tests of the core.
package coretest

import (
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// Resolve reads a plan without its first line, which is added.
func Resolve(text string) (*plan.Document, *model.Spec, []finding.Finding) {
	doc, found := plan.Parse(source.New("test.plan.yaml", []byte("ropeswing: 1\n"+strings.TrimLeft(text, "\n"))))
	if doc == nil {
		return nil, nil, found
	}
	numbering := assign.NewNumbering(nil, assign.Ask{})
	spec, more := model.Resolve(doc, numbering)
	numbering.Finish(spec)
	// That there is no ledger is no fault of the plan.
	given := slices.DeleteFunc(numbering.Findings(doc.File), func(f finding.Finding) bool { return f.Name == finding.LedgerBehind })
	return doc, spec, finding.Sort(slices.Concat(found, more, given))
}

// Spec is the network of a plan in which nothing stops it from being used.
func Spec(t testing.TB, text string) *model.Spec {
	t.Helper()
	_, spec, found := Resolve(text)
	if finding.Stops(found) {
		t.Fatalf("the test's plan has slips: %v", found)
	}
	return spec
}

// Network is the network of a plan with nothing out of order.
func Network(t testing.TB, text string) *forward.Network {
	t.Helper()
	spec := Spec(t, text)
	return forward.Resolve(network.Build(spec).State())
}

// Device finds a device by name.
func Device(t testing.TB, spec *model.Spec, name string) model.DeviceID {
	t.Helper()
	d, ok := spec.DeviceNamed(name)
	if !ok {
		t.Fatalf("the test's plan has no device %s", name)
	}
	return d
}

// Interface finds an interface by DEVICE:INTERFACE.
func Interface(t testing.TB, spec *model.Spec, label string) model.InterfaceID {
	t.Helper()
	device, name, _ := strings.Cut(label, ":")
	i, ok := spec.InterfaceNamed(Device(t, spec, device), name)
	if !ok {
		t.Fatalf("the test's plan has no interface %s", label)
	}
	return i
}

// Cases returns how many random cases a test tries: few, so that 'go test ./...' ends soon, or where ROPESWING_PROOF is
// 'long', as in .ci/run, as many as its claim takes. ROPESWING_CASES says another number for all.
func Cases(few, long int) int {
	if n, err := strconv.Atoi(os.Getenv("ROPESWING_CASES")); err == nil {
		return n
	}
	if Long() {
		return long
	}
	return few
}

// Long reports whether long proofs are wanted: ROPESWING_PROOF is 'long'.
func Long() bool { return os.Getenv("ROPESWING_PROOF") == "long" }
