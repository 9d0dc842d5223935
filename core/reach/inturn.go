package reach

import (
	"context"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// inTurn does something for each number below n, on all cores, until it is done, one
// fails or the context ends. Nobody is left working when it returns.
func inTurn(ctx context.Context, n int, do func(int) error) error {
	group, ctx := errgroup.WithContext(ctx)
	var next atomic.Int64
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			for i := int(next.Add(1)) - 1; i < n && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				if err := do(i); err != nil {
					return err
				}
			}
			return ctx.Err()
		})
	}
	return group.Wait()
}
