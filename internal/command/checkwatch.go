package command

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"

	"ropeswing/internal/view"
)

// resting is how long files rest before a plan is checked again: editors write in several goes.
const resting = 120 * time.Millisecond

// lookAgain is how often is looked whether the folders are still those that are watched.
const lookAgain = time.Second

// watched checks the plan now, and again whenever a file beside it changes; of that only what
// changed is said. It ends with Ctrl-C.
func (a *app) watched() error {
	if a.format != formatTable && a.format != formatJSON {
		return errors.New("--watch goes with -o table or json: it says what changed, as lines")
	}
	found, err := a.find()
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return fmt.Errorf("the files cannot be watched: %w", err)
	}
	defer w.Close()
	folders := map[string]os.FileInfo{} // those that are watched; nil of one that is gone for now
	add := func(v view.Findings) {
		dirs := []string{filepath.Dir(found.Path)}
		for _, name := range v.Files {
			dirs = append(dirs, filepath.Dir(found.On(name)))
		}
		for _, dir := range dirs {
			if _, known := folders[dir]; known {
				continue
			}
			if info, err := os.Stat(dir); err == nil && w.Add(dir) == nil {
				folders[dir] = info
			}
		}
	}
	v, err := a.checkedWhat()
	if err != nil {
		return err
	}
	add(v)
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.explain) }); err != nil {
		return err
	}
	a.flush()
	rest := time.NewTimer(time.Hour)
	rest.Stop()
	look := time.NewTicker(lookAgain)
	defer look.Stop()
	for {
		select {
		case <-ctx.Done():
			return errInterrupted
		case err := <-w.Errors:
			return fmt.Errorf("the files cannot be watched any more: %w", err)
		case e := <-w.Events:
			if name := filepath.Base(e.Name); e.Op != fsnotify.Chmod &&
				(strings.HasSuffix(name, ".yaml") || strings.HasSuffix(name, ".yml") || strings.HasSuffix(name, ".ledger")) {
				rest.Reset(resting)
			}
		case <-look.C: // a folder that was moved away, or another put in its place, sends nothing
			for dir, was := range folders {
				is, err := os.Stat(dir)
				switch {
				case err != nil && was == nil:
				case err != nil:
					_ = w.Remove(dir)
					folders[dir] = nil
					fmt.Fprintf(a.err, "%s is gone, and is waited for\n", view.Clean(dir))
				case was == nil || !os.SameFile(was, is):
					_ = w.Remove(dir)
					if w.Add(dir) == nil {
						folders[dir] = is
						rest.Reset(resting)
					}
				}
			}
		case <-rest.C:
			next, err := a.checkedWhat()
			if err != nil {
				fmt.Fprintln(a.err, cleaned(err))
				continue
			}
			add(next)
			change := view.NewFindingsChange(v, next, time.Now().UTC().Format(time.RFC3339))
			v = next
			if change.Nothing() {
				continue
			}
			if a.format == formatJSON {
				line, err := json.Marshal(change)
				if err != nil {
					return err
				}
				fmt.Fprintln(a.out, string(line))
			} else {
				change.Text(a.out, a.width, a.explain)
			}
			a.flush()
		}
	}
}
