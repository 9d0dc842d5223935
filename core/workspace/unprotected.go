package workspace

import "ropeswing/core/verify"

// Unprotected is a way that a single failure takes away though a wire is left,
// in words.
type Unprotected = verify.Unprotected

// Unprotected lists what derived floating routes do not protect.
func (w *Workspace) Unprotected() []Unprotected {
	return verify.Describe(w.Network, w.Derived.Open)
}
