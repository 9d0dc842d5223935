package files

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// journalName is the file that says what is to be put in place. It is there from when all
// is written beside until all is in place.
const journalName = ".ropeswing-journal"

// journal is the files that belong together.
type journal struct {
	Version int            `json:"ropeswing_journal"`
	Files   []journalEntry `json:"files"`
}

// journalEntry is one of them, by names within the folder.
type journalEntry struct {
	File  string `json:"file"`
	Half  string `json:"half"`
	New   string `json:"new"` // sha256 of what it is to hold
	Old   string `json:"old"` // of what it held, "" where it was not there
	There bool   `json:"there"`
}

func sum(text []byte) string {
	s := sha256.Sum256(text)
	return hex.EncodeToString(s[:])
}

// begin writes the journal: from here on the changes count as made.
func (w *Writer) begin(all []one) error {
	j := journal{Version: 1}
	for _, x := range all {
		file, err := filepath.Rel(w.dir, x.target)
		if err != nil {
			return err
		}
		half, err := filepath.Rel(w.dir, x.half)
		if err != nil {
			return err
		}
		e := journalEntry{File: file, Half: half, New: sum(x.Text), There: x.There}
		if x.There {
			e.Old = sum(x.Was)
		}
		j.Files = append(j.Files, e)
	}
	text, err := json.MarshalIndent(j, "", " ")
	if err != nil {
		return err
	}
	for dir := range dirsOf(all) {
		if err := w.sys.syncFolder(dir); err != nil {
			return err
		}
	}
	x := one{Change: Change{Path: journalName, Text: append(text, '\n')}, target: filepath.Join(w.dir, journalName)}
	if err := w.write(&x); err != nil {
		w.discard([]one{x})
		return err
	}
	if err := w.sys.place(x.half, x.target); err != nil {
		w.discard([]one{x})
		return err
	}
	if err := w.sys.syncFolder(w.dir); err != nil {
		if w.sys.remove(x.target) != nil {
			return Unfinished{w.dir, err} // it counts, as it is there
		}
		return err
	}
	return nil
}

func dirsOf(all []one) map[string]bool {
	dirs := map[string]bool{}
	for _, x := range all {
		dirs[filepath.Dir(x.target)] = true
	}
	return dirs
}

// end takes the journal away, once what was put in place lasts.
func (w *Writer) end(dirs map[string]bool) error {
	for dir := range dirs {
		if err := w.sys.syncFolder(dir); err != nil {
			return Unfinished{w.dir, err}
		}
	}
	if err := w.sys.remove(filepath.Join(w.dir, journalName)); err != nil {
		return Unfinished{w.dir, err}
	}
	return w.sys.syncFolder(w.dir)
}

// recover finishes what a journal says was begun.
func (w *Writer) recover() error {
	path := filepath.Join(w.dir, journalName)
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var j journal
	if err := json.Unmarshal(text, &j); err != nil || j.Version != 1 {
		return fmt.Errorf("%s is no journal of this version of ropeswing: something was begun here and "+
			"not finished; look at it, then remove it", path)
	}
	dirs := map[string]bool{}
	for _, e := range j.Files {
		if !filepath.IsLocal(e.File) || !filepath.IsLocal(e.Half) {
			return fmt.Errorf("%s names files outside of its folder; look at it, then remove it", path)
		}
		if err := w.finish(e, path); err != nil {
			return err
		}
		dirs[filepath.Join(w.dir, filepath.Dir(e.File))] = true
	}
	return w.end(dirs)
}

// finish puts one file of a journal in place, if it is not there yet.
func (w *Writer) finish(e journalEntry, journal string) error {
	target, half := filepath.Join(w.dir, e.File), filepath.Join(w.dir, e.Half)
	now, err := os.ReadFile(target)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err == nil && sum(now) == e.New {
		if _, err := os.Lstat(half); err == nil {
			_ = w.sys.remove(half)
		}
		return nil
	}
	if (err == nil) != e.There || err == nil && sum(now) != e.Old {
		return fmt.Errorf("%s was begun to be written and was changed by hand since; what was meant is in %s: put it right, then remove %s",
			target, half, journal)
	}
	text, err := os.ReadFile(half)
	if err != nil {
		return fmt.Errorf("%s cannot be finished: %w; look at %s, then remove it", target, err, journal)
	}
	if sum(text) != e.New {
		return fmt.Errorf("%s cannot be finished: %s is not what was meant; look at %s, then remove it", target, half, journal)
	}
	if err := w.sys.rename(half, target); err != nil {
		return err
	}
	return nil
}

// Settle finishes what a writer that died had begun in a folder, before it is read.
func Settle(dir string, tell func(string)) error {
	if _, err := os.Lstat(filepath.Join(dir, journalName)); err != nil {
		return nil
	}
	w, err := NewWriter(dir, tell)
	if err != nil {
		return fmt.Errorf("something was begun in %s and not finished: %w", dir, err)
	}
	w.Close()
	return nil
}
