package files

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
)

// MostReplaced is how large a file may be, in bytes, that is replaced: what is written over
// is read first.
const MostReplaced = 1 << 30

// ReadWhole reads an ordinary file, up to so many bytes: no device, pipe or folder, which
// may never end.
func ReadWhole(path string, most int64) ([]byte, error) {
	f, err := OpenPlain(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, err
	}
	if int64(len(text)) > most {
		return nil, &fs.PathError{Op: "read", Path: path, Err: fmt.Errorf("it has more than %d MB", most>>20)}
	}
	return text, nil
}

// OpenPlain opens an ordinary file to read it. Opening waits for nobody: a pipe would.
func OpenPlain(path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		word := "this is no ordinary file"
		if info.IsDir() {
			word = "this is a folder"
		}
		return nil, &fs.PathError{Op: "read", Path: path, Err: errors.New(word)}
	}
	return os.Open(path)
}
