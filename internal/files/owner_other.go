//go:build !unix

package files

import (
	"io/fs"
	"path/filepath"
)

// sameDevice tells whether two folders are on one volume.
func sameDevice(a, b string) bool { return filepath.VolumeName(a) == filepath.VolumeName(b) }

// keepOwner: where the system has no owners by number, a file has its folder's.
func keepOwner(half, fs.FileInfo) error { return nil }

// ownFolder: the system keeps the temporary folders of users apart.
func ownFolder(fs.FileInfo) bool { return true }
