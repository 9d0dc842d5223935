package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/revise"
)

// PinText writes what pinning routes changes in the plan.
func PinText(w io.Writer, devices []string, p *revise.Pinned, written bool, next string) {
	verb := "would be written"
	if written {
		verb = "are written"
	}
	fmt.Fprintf(w, "%s\n", good.Render(fmt.Sprintf("%s of %s %s into the plan", Count(p.Routes, "derived route"),
		Clean(strings.Join(devices, ", ")), verb)))
	for _, e := range p.Edits {
		changeText(w, newChange(revise.Advice{Edit: e, InPlan: true}), "  ")
	}
	if next != "" {
		fmt.Fprintln(w, "next: "+next)
	}
}
