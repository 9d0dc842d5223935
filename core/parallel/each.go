// Package parallel does many things on all cores.
package parallel

import (
	"context"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Each does something for each number below n, on all cores.
func Each(n int, do func(int)) {
	_ = Until(context.Background(), n, func(i int) error { do(i); return nil })
}

// Until does something for each number below n, on all cores, until it is done, one
// fails or the context ends, and returns the first error. Nobody is left working when
// it returns.
func Until(ctx context.Context, n int, do func(int) error) error {
	return Workers(ctx, n, func() func(int) error { return do })
}

// Workers is Until where each core has something of its own to work with: begin is
// called once for each.
func Workers(ctx context.Context, n int, begin func() func(int) error) error {
	group, ctx := errgroup.WithContext(ctx)
	var next atomic.Int64
	for range min(n, runtime.GOMAXPROCS(0)) {
		group.Go(func() error {
			do := begin()
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
