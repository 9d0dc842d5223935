package command

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/push"
	"ropeswing/internal/view"
)

// pushOptions are how to carry steps out.
type pushOptions struct {
	asking
	standing string
	write    bool
	yes      bool
	takeBack bool
	timer    time.Duration
	noSave   bool
	leave    []string
}

func (a *app) push() *cobra.Command {
	var o pushOptions
	cmd := &cobra.Command{
		Use:     "push",
		Short:   "Carry out the steps to the plan, each with a way back",
		GroupID: groupReal,
		Long: "Ask all devices, work out the steps to the plan as 'steps' does, and with -w tell\n" +
			"the devices, one step at a time, by NETCONF, or at their consoles in their own\n" +
			"language where their gear file says how: a change is put in force for a time,\n" +
			"looked at, and confirmed only when the device is as the step wants it, you can log\n" +
			"in again, and what you reached before and should reach now still answers. Else it\n" +
			"is taken back, by the device itself if need be, and push stops. Without -w nothing\n" +
			"is sent. What was sent is kept in a journal beside the plan; a run that broke off\n" +
			"goes on where the devices are. What cannot be told that way waits for you.",
		Example: "  ropeswing push\n  ropeswing push -w\n  ropeswing push -w --yes --timer 60s\n  ropeswing push --take-back -w",
		Args:    noArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if o.timer < 5*time.Second || o.timer > time.Hour {
				return errors.New("--timer is from 5s to 1h")
			}
			return a.runPush(&o)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	f := cmd.Flags()
	f.StringVar(&o.access, "access", "",
		"how devices are reached, in `FILE`; else $ROPESWING_ACCESS, else NAME.access.yaml beside the plan, else the plan itself")
	f.BoolVar(&o.trustNew, "trust-new", false, "take host keys that are not known yet, and keep them")
	f.IntVar(&o.together, "together", live.Polite.Together, "ask `N` devices at a time")
	f.StringVar(&o.standing, "standing-at", "", "the `HOST` of the plan that you sit at; its operator unless said")
	f.BoolVarP(&o.write, "write", "w", false, "tell the devices; without, only say what would be told")
	f.BoolVar(&o.yes, "yes", false, "with -w: do not ask before each visit to a device")
	f.BoolVar(&o.takeBack, "take-back", false, "take back what the last run set, the last step first")
	f.BoolVar(&o.noSave, "no-save", false, "do not save what runs at the end of each device")
	f.StringSliceVar(&o.leave, "leave",
		nil, "the silent `DEVICE` may be cut off: steps it hangs on are carried out all the same; may be repeated")
	f.DurationVar(&o.timer, "timer", 2*time.Minute, "after this `TIME` a device takes back what was not confirmed")
	a.must(cmd.RegisterFlagCompletionFunc("standing-at", a.completeDevices))
	a.must(cmd.RegisterFlagCompletionFunc("leave", a.completeDevices))
	a.formatFlags(cmd)
	return cmd
}

func (a *app) runPush(o *pushOptions) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	if o.standing != "" {
		d, err := w.Device(o.standing)
		if err != nil {
			return err
		}
		w = w.StandingAt(d)
	}
	if w.Spec.Operator == model.None {
		return errors.New("where do you sit? name the host: --standing-at HOST, or 'operator:' in the plan")
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	of, _, err := a.accessFile(&o.asking, w.Document)
	if err != nil {
		return err
	}
	found, err := a.find()
	if err != nil {
		return err
	}
	var before []files.PushEntry
	var log *files.PushLog
	path := pushLogOf(found)
	if o.write {
		unlock, err := files.NewWriter(filepath.Dir(found.Path), a.tell) // one at a time tells devices by this plan
		if err != nil {
			return err
		}
		defer unlock.Close()
		if log, before, err = files.OpenPushLog(path); err != nil {
			return err
		}
		defer log.Close()
	} else if o.takeBack {
		if before, err = files.ReadPushLog(path); err != nil {
			return err
		}
	}
	v := &view.Pushed{Steps: []view.PushedStep{}}
	known := a.knownHosts(of)
	options := live.Polite
	options.Access, options.Secret, options.Agent, options.Now = of, a.secrets(of), sshAgent(a.getenv), time.Now
	options.Hosts, options.Gear = existing(known), gearReader(of)
	var p *push.Pusher
	p = push.New(push.Options{Write: o.write, NoSave: o.noSave, Timer: o.timer, Leave: o.leave}, push.Shell{
		Tell: a.tell, Progress: a.progress,
		Visit: func(n int, device string) bool {
			if o.yes {
				return true
			}
			view.PushVisit(a.out, pushedSteps(p.Report.Steps[n:], nil), device)
			a.flush()
			return a.yes(fmt.Sprintf("go to %s?", device))
		},
		Ways: func(device string) []access.Way {
			if all, err := a.liveDevices(w, of, []string{device}); err == nil {
				return all[0].Ways
			}
			return nil
		},
		Ask: func(ctx context.Context) (heard []*observed.Device, silent []string, err error) {
			asked, heard, _, err := a.askLive(ctx, w, &o.asking, nil, false)
			if err != nil {
				return nil, nil, err
			}
			a.tellSilent(asked)
			v.Heard = asked
			for _, f := range asked.Failed {
				silent = append(silent, f.Device)
			}
			return heard, silent, nil
		},
		Learnt: func(line string) []string {
			if a.keepKeys(known[0], []string{line}) {
				return existing(known)
			}
			return nil
		},
	}, w, options, log)
	if o.write {
		if err := p.Settle(ctx, before); err != nil {
			return pushError(err)
		}
	}
	if o.takeBack {
		err := p.TakeBack(ctx, before)
		if errors.Is(err, push.ErrNothing) {
			fmt.Fprintln(a.out, cleaned(err))
			return nil
		}
		return a.pushed(o, p, v, nil, err)
	}
	sheet, err := p.Forward(ctx)
	if sheet == nil {
		return pushError(err)
	}
	return a.pushed(o, p, v, sheet, err)
}

// pushed tells where everything stands.
func (a *app) pushed(o *pushOptions, p *push.Pusher, v *view.Pushed, sheet *steps.Worksheet, err error) error {
	a.progress(1, 1)
	r := &p.Report
	v.Steps, v.Otherwise, v.Stopped, v.Back = pushedSteps(r.Steps, sheet), r.Otherwise, r.Stopped, r.Back
	if !o.write {
		v.Next = a.self() + " push -w" + accessWords(o.access)
		if r.Back {
			v.Next = a.self() + " push --take-back -w" + accessWords(o.access)
		}
	}
	if e := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); e != nil {
		return e
	}
	if err == nil && (!r.Whole() || len(r.Otherwise) > 0) && o.write {
		return errWrong
	}
	return pushError(err)
}

// pushedSteps are steps as they are shown; of a worksheet with what becomes of the session.
func pushedSteps(all []push.Step, sheet *steps.Worksheet) []view.PushedStep {
	shown := []view.PushedStep{}
	var sessions view.Worksheet
	if sheet != nil {
		sessions = view.NewWorksheet(sheet, "")
	}
	for n, s := range all {
		x := view.PushedStep{Number: s.Number, Device: s.Device, Set: s.Set, Told: s.Told, Why: s.Why, Outcome: s.Outcome}
		if sheet != nil {
			x.Session = sessions.Steps[n].Session
		}
		shown = append(shown, x)
	}
	return shown
}

// pushError is the exit code's error of one of a pusher's.
func pushError(err error) error {
	var silent push.NotAsked
	switch {
	case errors.Is(err, push.ErrWrong):
		return errWrong
	case errors.Is(err, push.ErrInterrupted):
		return errInterrupted
	case errors.As(err, &silent):
		return notAsked{silent}
	}
	return err
}

// accessWords are the words that name the access file again.
func accessWords(file string) string {
	if file == "" {
		return ""
	}
	return " --access " + view.ShellWord(file)
}
