//go:build !linux

package command

import (
	"fmt"
	"runtime"
)

// rehearsal tells that it needs another system.
func (a *app) rehearsal(*rehearsalOptions) error {
	return notAsked{fmt.Errorf("a rehearsal is made of Linux network namespaces, and this is %s: run it on Linux, in a virtual machine "+
		"for one", runtime.GOOS)}
}
