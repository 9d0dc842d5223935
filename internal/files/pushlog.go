package files

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// PushEntry is one line of the journal of what devices were told.
type PushEntry struct {
	Time    string `json:"time"`
	Run     string `json:"run"`
	Step    int    `json:"step"`
	Device  string `json:"device"`
	At      string `json:"at"`
	Phase   string `json:"phase"` // of Phases
	Persist string `json:"persist,omitempty"`
	What    string `json:"what,omitempty"`
	Undo    string `json:"undo,omitempty"`   // the edit that takes it back
	Undoes  string `json:"undoes,omitempty"` // the persist word of the step that it takes back
	Why     string `json:"why,omitempty"`
	Digest  string `json:"digest,omitempty"` // of what the device has set, where it is about to be confirmed
}

// The phases of one step.
const (
	Sending    = "sending"    // it is about to be sent: it may be in force from here on
	InForce    = "in force"   // and is taken back by the device unless it is confirmed
	Confirming = "confirming" // it is as it should be, and is about to be confirmed
	Confirmed  = "confirmed"  // it stays
	TakenBack  = "taken back" // it is not in force
	Saved      = "saved"      // what runs was saved
)

// PushLog is the journal of what devices were told, beside the plan. It only grows, but for half a line at its
// end, which goes when it is opened again.
type PushLog struct{ file *os.File }

// largestLog is how large a journal may be, in bytes.
const largestLog = 256 << 20

// OpenPushLog opens the journal of a plan and reads what is in it.
func OpenPushLog(path string) (*PushLog, []PushEntry, error) {
	all, text, whole, err := readPushLog(path)
	if err != nil {
		return nil, nil, err
	}
	file, err := os.OpenFile(path, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, nil, fmt.Errorf("the journal %s cannot be written", filepath.Base(path))
	}
	switch {
	case whole < len(text): // or the next to open it would find half a line among whole ones
		err = file.Truncate(int64(whole))
	case whole > 0 && text[whole-1] != '\n':
		_, err = file.WriteString("\n")
	}
	if err != nil {
		file.Close()
		return nil, nil, fmt.Errorf("the journal %s cannot be written: %w", filepath.Base(path), err)
	}
	return &PushLog{file}, all, nil
}

// ReadPushLog reads the journal of a plan, and leaves it as it is: another may be writing it. None is there where there is no file.
func ReadPushLog(path string) ([]PushEntry, error) {
	all, _, _, err := readPushLog(path)
	return all, err
}

// readPushLog is what is in a journal, its text, and how much of that is whole lines.
func readPushLog(path string) (all []PushEntry, text []byte, whole int, err error) {
	if i, err := os.Lstat(path); err == nil && i.Mode()&os.ModeSymlink != 0 {
		return nil, nil, 0, fmt.Errorf("the journal %s is a link, and is not followed: put the file itself there", filepath.Base(path))
	}
	text, err = ReadWhole(path, largestLog)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, 0, fmt.Errorf("the journal %s cannot be read: %w", filepath.Base(path), err)
	}
	lines := bytes.Split(text, []byte("\n"))
	whole = len(text)
	for i, line := range lines {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var e PushEntry
		if err := json.Unmarshal(line, &e); err != nil {
			if i == len(lines)-1 { // it broke off while it was written: nothing was sent
				whole -= len(line)
				break
			}
			return nil, nil, 0, fmt.Errorf("line %d of the journal %s is none of it", i+1, filepath.Base(path))
		}
		all = append(all, e)
	}
	return all, text, whole, nil
}

// Add adds an entry. It is on the disk when Add returns: what is sent comes behind that.
func (l *PushLog) Add(e PushEntry) error {
	text, err := json.Marshal(e)
	if err != nil {
		return err
	}
	if _, err := l.file.Write(append(text, '\n')); err != nil {
		return err
	}
	return l.file.Sync()
}

// Close closes it.
func (l *PushLog) Close() error { return l.file.Close() }
