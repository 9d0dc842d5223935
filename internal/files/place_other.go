//go:build !linux

package files

import "os"

// placeAtOnce gives a file a second name, which nothing may have, and takes the first away;
// done is false where the file system knows no second names.
func placeAtOnce(old, new string) (done bool, err error) {
	if err := os.Link(old, new); err != nil {
		if os.IsExist(err) {
			return true, err
		}
		return false, nil
	}
	return true, os.Remove(old)
}
