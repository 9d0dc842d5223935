//go:build !linux

package command

import (
	"fmt"
	"runtime"
)

// realPuzzle tells that a puzzle is by the plain model here.
func (a *app) realPuzzle(*puzzler) (again bool, err error) {
	return false, fmt.Errorf("that takes Linux, and this is %s", runtime.GOOS)
}

// rehearsal tells that it needs another system.
func (a *app) rehearsal(*rehearsalOptions) error {
	return notAsked{fmt.Errorf("a rehearsal is made of Linux network namespaces, and this is %s: run it on Linux, in a virtual machine "+
		"for one", runtime.GOOS)}
}
