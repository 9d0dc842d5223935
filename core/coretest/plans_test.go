package coretest_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
)

// TestPlansToMeasure writes the large plans that .ci/measure times commands on, into the folder that ROPESWING_PLANS names.
func TestPlansToMeasure(t *testing.T) {
	dir := os.Getenv("ROPESWING_PLANS")
	if dir == "" {
		t.Skip("ROPESWING_PLANS names no folder")
	}
	for name, text := range map[string]string{
		"ring100":  coretest.RingNetwork(100, "{}"),
		"ring200":  coretest.RingNetwork(200, "{}"),
		"ring1000": coretest.RingNetwork(1000, "{}"),
		"large500": coretest.LargeNetwork(500, "{}"), "large1000": coretest.LargeNetwork(1000, "{}"),
	} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, name), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name, "net.plan.yaml"), []byte("ropeswing: 1\nplan: net\n"+text), 0o644))
	}
}
