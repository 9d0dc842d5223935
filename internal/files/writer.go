package files

import (
	"bytes"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
)

// Writer is the one way by which files are written. It holds the lock of a folder, after
// all links, for as long as what is read there is to be what is written over. What it
// commits is there wholly or not at all, however it ends.
type Writer struct {
	dir    string // real
	unlock func()
	sys    system
}

// Change is one file to write.
type Change struct {
	Path  string
	Text  []byte
	Was   []byte // what was read there; what stands there now must still be that
	There bool   // something was
}

// NewWriter locks a folder, and finishes what a writer that died had begun there. While
// another has the lock it waits, up to LockWait, and tells so once.
func NewWriter(dir string, tell func(string)) (*Writer, error) { return newWriter(dir, tell, disk{}) }

func newWriter(dir string, tell func(string), sys system) (*Writer, error) {
	real, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return nil, err
	}
	if real, err = filepath.Abs(real); err != nil {
		return nil, err
	}
	unlock, err := lock(real, tell)
	if err != nil {
		return nil, err
	}
	w := &Writer{real, unlock, sys}
	if err := w.recover(); err != nil {
		unlock()
		return nil, err
	}
	w.sweep(real)
	return w, nil
}

// Close gives the lock up.
func (w *Writer) Close() { w.unlock() }

// halfMark is in the name of every file that is being written.
const halfMark = ".ropeswing~"

// sweep removes files that writers left which died before they had begun to put them in
// place: nobody else writes here now.
func (w *Writer) sweep(dir string) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), ".") && strings.Contains(e.Name(), halfMark) && e.Type().IsRegular() {
			_ = w.sys.remove(filepath.Join(dir, e.Name()))
		}
	}
}

// one is a change with what was found out about it.
type one struct {
	Change
	target string // the file itself, after links
	half   string // where it is written first
}

// Commit writes files of the folder, all of them or none. An error says why nothing was
// written, unless it is an Unfinished one.
func (w *Writer) Commit(changes ...Change) error {
	all := make([]one, len(changes))
	swept := map[string]bool{w.dir: true}
	for i, c := range changes {
		target, err := w.target(c)
		if err != nil {
			return err
		}
		if dir := filepath.Dir(target); !swept[dir] {
			swept[dir] = true
			w.sweep(dir)
		}
		all[i] = one{Change: c, target: target}
	}
	if err := w.apart(all); err != nil {
		return err
	}
	for i := range all {
		if err := w.write(&all[i]); err != nil {
			w.discard(all)
			return err
		}
	}
	if len(all) == 1 {
		if err := w.put(all[0]); err != nil {
			w.discard(all)
			return err
		}
		return w.sys.syncFolder(filepath.Dir(all[0].target))
	}
	if err := w.begin(all); err != nil {
		if !errors.As(err, new(Unfinished)) {
			w.discard(all)
		}
		return err
	}
	for i := range all {
		if err := w.put(all[i]); err != nil {
			return Unfinished{w.dir, err}
		}
	}
	return w.end(swept)
}

// foldsCase tells whether two names that differ by case only are one file here, as they mostly are on Windows and macOS.
var foldsCase = runtime.GOOS == "windows" || runtime.GOOS == "darwin"

// apart refuses to write one file twice.
func (w *Writer) apart(all []one) error {
	names := make(map[string]string, len(all))
	for i := range all {
		key := all[i].target
		if foldsCase {
			key = strings.ToLower(key)
		}
		if other, ok := names[key]; ok {
			return fmt.Errorf("%s and %s are one file here; nothing was written: rename one of what they are named after", filepath.Base(other),
				filepath.Base(all[i].target))
		}
		names[key] = all[i].target
	}
	return nil
}

// Unfinished is that some of the files are in place and others are not: the next command
// finishes it.
type Unfinished struct {
	Dir   string
	Cause error
}

func (u Unfinished) Error() string {
	return fmt.Sprintf("%s; it is begun and not finished: the next ropeswing command in %s finishes it", u.Cause, u.Dir)
}

func (u Unfinished) Unwrap() error { return u.Cause }

// target is the file that a change is of, after links, which must be of the folder and as
// it was read.
func (w *Writer) target(c Change) (string, error) {
	path, err := filepath.Abs(c.Path)
	if err != nil {
		return "", err
	}
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if c.There {
			return "", fmt.Errorf("%s is gone since it was read; nothing was written", filepath.Base(c.Path))
		}
	case err != nil:
		return "", err
	case !c.There:
		return "", &fs.PathError{Op: "write", Path: c.Path, Err: fs.ErrExist}
	case info.Mode()&fs.ModeSymlink != 0:
		if path, err = filepath.EvalSymlinks(path); err != nil {
			return "", fmt.Errorf("it is a link that leads to nothing: %w", err)
		}
	}
	dir, err := filepath.EvalSymlinks(filepath.Dir(path))
	if err != nil {
		return "", err
	}
	path = filepath.Join(dir, filepath.Base(path))
	if below, err := filepath.Rel(w.dir, path); err != nil || !filepath.IsLocal(below) {
		return "", fmt.Errorf("it leads out of the folder, to %s; nothing was written", path)
	}
	if !c.There {
		return path, nil
	}
	if info, err = os.Stat(path); err != nil {
		return "", err
	}
	if !info.Mode().IsRegular() {
		return "", &fs.PathError{Op: "write", Path: c.Path, Err: errors.New("this is no ordinary file")}
	}
	now, err := os.ReadFile(path)
	if err != nil {
		return "", err
	}
	if !bytes.Equal(now, c.Was) {
		return "", fmt.Errorf("%s was changed since it was read; nothing was written: say it again", filepath.Base(c.Path))
	}
	return path, nil
}

// write writes a change beside its file, with that one's mode and owner, or as the umask
// says where it is new.
func (w *Writer) write(x *one) (err error) {
	name := make([]byte, 6)
	if _, err := rand.Read(name); err != nil {
		return err
	}
	beside := w.dir // where the next writer sweeps, if this one dies
	if !sameDevice(beside, filepath.Dir(x.target)) {
		beside = filepath.Dir(x.target) // from another no file can be renamed
	}
	x.half = filepath.Join(beside, "."+filepath.Base(x.target)+halfMark+hex.EncodeToString(name))
	mode := fs.FileMode(0o666)
	var old fs.FileInfo
	if x.There {
		if old, err = os.Stat(x.target); err != nil {
			return err
		}
		mode = old.Mode().Perm()
	}
	f, err := w.sys.create(x.half, mode)
	if err != nil {
		x.half = ""
		return err
	}
	if old != nil {
		err = keepOwner(f, old) // before the mode, which a change of owner may take from
		if err == nil {
			err = f.Chmod(mode)
		}
	}
	if err == nil {
		_, err = f.Write(x.Text)
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// put puts a written change in its place.
func (w *Writer) put(x one) error {
	if x.There {
		return w.sys.rename(x.half, x.target)
	}
	return w.sys.place(x.half, x.target)
}

// discard takes away what was written beside.
func (w *Writer) discard(all []one) {
	for _, x := range all {
		if x.half != "" {
			_ = w.sys.remove(x.half)
		}
	}
}

// Put writes one file, whatever kind of file is there so far, if any: of another kind than
// may be replaced it is not. The folder is locked for it alone.
func Put(path string, text []byte, tell func(string), may ...Kind) error {
	w, err := NewWriter(filepath.Dir(path), tell)
	if err != nil {
		return err
	}
	defer w.Close()
	c, err := Replacing(path, text, may...)
	if err != nil {
		return err
	}
	return w.Commit(c)
}

// Replacing is the change that puts a text in place of what a file holds, or into a new
// one. What is there and cannot be read, or is of a kind that must not be replaced, is
// refused.
func Replacing(path string, text []byte, may ...Kind) (Change, error) {
	c := Change{Path: path, Text: text}
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return c, nil
	case err != nil:
		return c, err
	case info.IsDir():
		return c, &fs.PathError{Op: "write", Path: path, Err: errors.New("this is a folder")}
	}
	if c.Was, err = ReadWhole(path, MostReplaced); err != nil {
		return c, err
	}
	c.There = true
	kind := KindOf(filepath.Base(path), c.Was)
	for _, k := range may {
		if k == kind || len(c.Was) == 0 {
			return c, nil
		}
	}
	return c, fmt.Errorf("it is there already, and holds %s: name another file", kind)
}

// Create writes a new file; there may be none of its name.
func Create(path string, text []byte, tell func(string)) error {
	w, err := NewWriter(filepath.Dir(path), tell)
	if err != nil {
		return err
	}
	defer w.Close()
	return w.Commit(Change{Path: path, Text: text})
}
