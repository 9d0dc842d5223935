package command

import "ropeswing/internal/view"

// tellSilent tells who did not answer, or not wholly: one line a reason.
func (a *app) tellSilent(v *view.AskedAll) {
	for _, line := range v.Reasons() {
		a.tell(line)
	}
}
