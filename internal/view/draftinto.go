package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
	"ropeswing/core/revise"
)

// DraftedInto is what was found laid over a plan; next is the command that writes it, "" where it was written.
func DraftedInto(w io.Writer, x *compare.Into, file, state, next string) {
	verb := "would be laid"
	if next == "" {
		verb = "are laid"
	}
	var parts []string
	for _, p := range []struct {
		word string
		all  []string
	}{{"device", x.Devices}, {"segment", x.Segments}, {"cable", x.Cables}, {"interface", x.Ports}, {"description", x.Notes}} {
		if len(p.all) > 0 {
			parts = append(parts, Count(len(p.all), p.word))
		}
	}
	if x.Routes > 0 {
		parts = append(parts, Count(x.Routes, "route"))
	}
	if len(parts) == 0 {
		fmt.Fprintln(w, good.Render("nothing was found that "+Clean(file)+" does not have"))
	} else {
		fmt.Fprintln(w, good.Render(strings.Join(parts, ", ")+" of what was found "+verb+" over "+Clean(file)))
	}
	for _, k := range x.Known {
		fmt.Fprintf(w, "  %s is %s of the plan: by %s\n", Clean(k.Found), Clean(k.Plan), Clean(k.By))
	}
	for _, e := range x.Edits {
		changeText(w, newChange(revise.Advice{Edit: e, InPlan: true}), "  ")
	}
	for _, text := range x.Left {
		fmt.Fprintln(w, "  left out: "+Clean(text))
	}
	if len(x.NotFound) > 0 {
		fmt.Fprintf(w, "only in the plan: %s\n", Clean(Some(x.NotFound, 12)))
	}
	fmt.Fprintf(w, "what both have and is not as planned: ropeswing -p %s compare %s\n", ShellWord(file), ShellWord(state))
	if next != "" {
		fmt.Fprintln(w, "next: "+next)
	}
}

// HalfKnown says of which devices that were found what is not known, a line each.
func HalfKnown(devices []*observed.Device) []string {
	var all []Partly
	for _, d := range devices {
		x := Partly{Device: d.Name}
		for _, p := range []struct {
			part observed.Part
			word string
		}{{observed.Interfaces, "interfaces"}, {observed.Addresses4, "IPv4 addresses"}, {observed.Routes4, "IPv4 routes"}} {
			if !d.Knows(p.part) {
				x.Unknown = append(x.Unknown, p.word)
			}
		}
		if len(x.Unknown) > 0 {
			all = append(all, x)
		}
	}
	return notKnown(all)
}
