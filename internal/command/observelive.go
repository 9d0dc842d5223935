package command

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"
	"golang.org/x/term"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// asking is the options of asking devices live.
type asking struct {
	on       bool
	access   string
	trustNew bool
	every    time.Duration
	together int
}

func (a *app) askingFlags(cmd *cobra.Command, o *asking) {
	cmd.Flags().BoolVar(&o.on, "live", false, "ask the devices themselves, as the access file says")
	cmd.Flags().StringVar(&o.access, "access",
		"", "how devices are reached, in `FILE`; else $ROPESWING_ACCESS, else NAME.access.yaml beside the plan, else the plan itself")
	cmd.Flags().BoolVar(&o.trustNew, "trust-new", false, "with --live: take host keys that are not known yet, and keep them")
	cmd.Flags().IntVar(&o.together, "together", live.Polite.Together, "with --live: ask `N` devices at a time")
}

// accessVariable of the environment names an access file.
const accessVariable = "ROPESWING_ACCESS"

// accessEnding is what the access file beside NAME.plan.yaml is called.
const accessEnding = ".access.yaml"

// accessFile reads how devices are reached: by a file that is named, else by one beside the plan,
// else by the plan itself.
func (a *app) accessFile(o *asking, d *plan.Document) (*access.Access, string, error) {
	path := cmp.Or(o.access, a.getenv(accessVariable))
	if path == "" {
		found, err := a.find()
		if err != nil {
			return nil, "", err
		}
		path = strings.TrimSuffix(found.Path, strings.TrimPrefix(files.PlanPattern, "*")) + accessEnding
		if _, err := os.Stat(path); err != nil && len(d.Access) > 0 {
			return access.FromPlan(d, filepath.Dir(found.Path)), found.Path, nil
		} else if err != nil {
			return nil, "", fmt.Errorf("how devices are reached is said under 'access' in the plan or in %s, and neither is there; "+
				"ROPESWING_ACCESS=FILE names another, and so does --access of observe, compare and push. 'ropeswing stand-in' writes one for "+
				"simulated devices", filepath.Base(path))
		}
	} else {
		path = a.at(path)
	}
	text, err := files.ReadWhole(path, access.Largest)
	if err != nil {
		return nil, "", fmt.Errorf("%s: it cannot be read", path)
	}
	of, err := access.Read(text, filepath.Dir(path))
	if err != nil {
		return nil, "", fmt.Errorf("%s: %w", path, err)
	}
	return of, path, nil
}

// liveDevices are the devices to ask, with the paths to each.
func (a *app) liveDevices(w *workspace.Workspace, of *access.Access, who []string) ([]live.Target, error) {
	named := map[model.DeviceID]bool{}
	for _, word := range who {
		devices, err := w.DevicesMeant(word)
		if err != nil {
			return nil, err
		}
		for _, d := range devices {
			named[d] = true
		}
	}
	for _, e := range of.Entries {
		if _, err := w.DevicesMeant(e.For); err != nil {
			return nil, fmt.Errorf("how devices are reached: %w", err)
		}
	}
	var all []live.Target
	for d := range w.Spec.Devices {
		id := model.DeviceID(d)
		if len(who) > 0 && !named[id] {
			continue
		}
		t := live.Target{Name: w.Spec.Devices[d].Name}
		for _, family := range []prefix.Family{prefix.IPv4, prefix.IPv6} {
			if a := w.Spec.MainAddress(id, family); a.IsValid() && t.Address == "" {
				t.Address = a.String()
			}
		}
		best := -1
		for _, e := range of.Entries { // what is said of the device itself counts, then of a group, then of everyone
			rank := 1
			switch e.For {
			case t.Name:
				rank = 2
			case "everyone":
				rank = 0
			}
			if devices, _ := w.DevicesMeant(e.For); rank > best && slices.Contains(devices, id) {
				best, t.Ways = rank, e.Ways
			}
		}
		if len(t.Ways) > 0 || named[id] {
			all = append(all, t)
		}
	}
	if len(all) == 0 {
		return nil, errors.New("it is not said of any of them how to reach it")
	}
	return all, nil
}

// askLive asks, and tells who answered; what there is of all is returned.
func (a *app) askLive(ctx context.Context, w *workspace.Workspace, o *asking, who []string, lines bool) (*view.AskedAll, []*observed.Device,
	[]*observed.Device, error) {
	of, _, err := a.accessFile(o, w.Document)
	if err != nil {
		return nil, nil, nil, err
	}
	targets, err := a.liveDevices(w, of, who)
	if err != nil {
		return nil, nil, nil, err
	}
	if a.logins == nil {
		a.logins = &live.Logins{}
	}
	options := live.Polite
	options.Access, options.Together, options.Now, options.Logins = of, max(1, o.together), time.Now, a.logins
	options.Secret, options.Agent = a.secrets(of), sshAgent(a.getenv)
	known := a.knownHosts(of)
	options.Hosts = existing(known)
	options.Gear = gearReader(of)
	results, err := live.Ask(ctx, targets, options, a.progress)
	if err != nil {
		return nil, nil, nil, err
	}
	if again := a.newKeys(results, targets, o, known); len(again) > 0 {
		options.Hosts = existing(known)
		more, err := live.Ask(ctx, again, options, a.progress)
		if err != nil {
			return nil, nil, nil, err
		}
		for _, r := range more {
			results[slices.IndexFunc(results, func(x live.Result) bool { return x.Name == r.Name })] = r
		}
	}
	if err := a.askElsewhere(ctx, w, targets, results, options); err != nil {
		return nil, nil, nil, err
	}
	a.progress(1, 1)
	v := &view.AskedAll{Asked: len(targets), Stopped: ctx.Err() != nil, Devices: []view.AskedOne{}, Failed: []view.AskedFault{},
		Short: []view.AskedFault{}}
	var running, saved []*observed.Device
	today := time.Now().Format(time.DateOnly)
	for i := range results {
		r := &results[i]
		quiet, until := w.Expected(r.Name, today)
		if quiet {
			v.Expected = append(v.Expected, view.Silence{Device: r.Name, Until: until, Answers: r.Device != nil || !r.Unheard()})
		}
		if r.Device == nil && quiet && r.Unheard() {
			v.Asked--
			continue
		}
		if r.Device == nil {
			v.Failed = append(v.Failed, a.fault(w, r, targets[i]))
			continue
		}
		v.Answered++
		running = append(running, r.Device)
		if r.Saved != nil {
			saved = append(saved, r.Saved)
		}
		x := view.NewObservation("", "", r.Device)
		one := view.AskedOne{Device: r.Name, By: r.By, Interfaces: x.Interfaces, Addresses: x.Addresses, Routes: x.Routes,
			Neighbours: x.Neighbours, Known: x.Known, Unknown: []string{}, Unread: len(r.Unread), Calls: r.Calls, Started: r.Device.Started,
			ClockAhead: r.Device.ClockAhead, Elsewhere: r.Elsewhere}
		for _, p := range observed.Parts {
			if !r.Device.Knows(p) {
				one.Unknown = append(one.Unknown, string(p))
			}
		}
		for _, u := range r.Unread {
			if lines {
				one.Lines = append(one.Lines, u.Why+": "+u.Text)
			}
		}
		v.Devices = append(v.Devices, one)
		for _, f := range r.Failures {
			v.Short = append(v.Short, view.AskedFault{Device: r.Name, By: f.By, At: f.At, Reason: reasons[f.Reason], Why: f.Err.Error()})
		}
	}
	a.heard = v
	return v, running, saved, nil
}

// reasons are the words for why a device did not answer.
var reasons = map[live.Reason]string{
	live.NoAddress: "no address", live.Unreached: "no answer", live.Refused: "refused", live.Login: "login", live.NewKey: "new host key",
	live.OtherKey: "other host key",
	live.Half:     "half an answer", live.NotRead: "not understood", live.NoSecret: "no secret", live.OtherName: "another name",
	live.Interrupted: "not asked",
}

// fault is why a device did not answer, with what the plan says of the path there.
func (a *app) fault(w *workspace.Workspace, r *live.Result, t live.Target) view.AskedFault {
	f := r.Failures[0]
	x := view.AskedFault{Device: r.Name, By: f.By, At: f.At, Reason: reasons[f.Reason], Why: f.Err.Error()}
	device := view.ShellWord(r.Name)
	switch f.Reason {
	case live.NewKey:
		x.Next = a.self() + " observe --live " + device + " --trust-new"
	case live.Unreached, live.Refused:
		x.Next = a.self() + " trace --live " + device
		host, _, _ := net.SplitHostPort(f.At)
		to, err := netip.ParseAddr(host)
		from, err2 := w.Operator()
		if err != nil || err2 != nil || from.Device == model.None || to.IsLoopback() {
			break
		}
		p := forward.Ping(w.Network, from.Device, netip.Addr{}, to, model.None)
		if why, fails := p.Failure(w.Network); fails {
			x.Plan, x.Next = "by the plan there is no path: "+why.Words(w.Network), a.self()+" ping "+device
		} else if p.Verdict() == forward.Works {
			x.Plan = "by the plan there is a path"
		}
	case live.NoAddress:
		x.Next = a.self() + " show management " + device
	}
	for _, other := range r.Failures[1:] {
		x.Why += fmt.Sprintf("; by %s: %s, %s", other.By, reasons[other.Reason], other.Err)
	}
	return x
}

// secrets finds secrets; what is typed is asked for once.
func (a *app) secrets(of *access.Access) func(*access.Secret, string) (string, error) {
	var mutex sync.Mutex
	found := map[access.Secret]string{}
	return func(s *access.Secret, what string) (string, error) {
		if s == nil {
			return "", nil
		}
		mutex.Lock()
		defer mutex.Unlock()
		if v, ok := found[*s]; ok {
			return v, nil
		}
		v, err := of.Find(s, what, a.getenv, func(what string) (string, error) {
			f, ok := a.in.(*os.File)
			if !ok || !term.IsTerminal(int(f.Fd())) {
				return "", fmt.Errorf("%s has to be typed, and there is no terminal", what)
			}
			fmt.Fprintf(a.err, "\r%s: ", what)
			text, err := term.ReadPassword(int(f.Fd()))
			fmt.Fprintln(a.err)
			return string(text), err
		})
		if err == nil {
			found[*s] = v
		}
		return v, err
	}
}

// sshAgent is the keys of the SSH agent, where one runs.
func sshAgent(getenv func(string) string) []ssh.Signer {
	socket := getenv("SSH_AUTH_SOCK")
	if socket == "" {
		return nil
	}
	c, err := net.Dial("unix", socket)
	if err != nil {
		return nil
	}
	signers, err := agent.NewClient(c).Signers()
	if err != nil {
		return nil
	}
	return signers
}

// knownHosts are the files of host keys: the access file's, else the user's own.
func (a *app) knownHosts(of *access.Access) []string {
	if of.KnownHosts != "" {
		return []string{of.Path(of.KnownHosts)}
	}
	home := a.getenv("HOME")
	return []string{filepath.Join(home, ".ssh", "known_hosts")}
}

func existing(paths []string) []string {
	return slices.DeleteFunc(slices.Clone(paths), func(p string) bool {
		_, err := os.Stat(p)
		return err != nil
	})
}

// gearReader reads files of gear, each once.
func gearReader(of *access.Access) func(string) (*wire.Gear, error) {
	var mutex sync.Mutex
	read := map[string]*wire.Gear{}
	return func(name string) (*wire.Gear, error) {
		mutex.Lock()
		defer mutex.Unlock()
		if m := read[name]; m != nil {
			return m, nil
		}
		if name == wire.LinuxGear {
			return wire.Linux(), nil
		}
		text, err := files.ReadWhole(of.Path(name), access.Largest)
		if err != nil {
			return nil, fmt.Errorf("the gear file %s cannot be read", name)
		}
		m, err := wire.ReadGear(text, func(form string) ([]byte, error) {
			return files.ReadWhole(of.Path(filepath.Join(filepath.Dir(name), form)), access.Largest)
		})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		read[name] = m
		return m, nil
	}
}

// newKeys takes host keys that are not known yet, where that is said or answered with yes; it
// lists whom to ask again.
func (a *app) newKeys(results []live.Result, targets []live.Target, o *asking, known []string) []live.Target {
	var again []live.Target
	var taken []string
	for i := range results {
		for _, f := range results[i].Failures {
			if f.Reason != live.NewKey || f.Key == "" || slices.Contains(taken, f.Key) {
				continue
			}
			if !o.trustNew && !a.yes(fmt.Sprintf("%s: %s. Trust it?", results[i].Name, f.Err)) {
				continue
			}
			taken = append(taken, f.Key)
			if len(again) == 0 || again[len(again)-1].Name != targets[i].Name {
				again = append(again, targets[i])
			}
		}
	}
	if len(taken) == 0 {
		return nil
	}
	if a.keepKeys(known[0], taken) {
		return again
	}
	return nil
}

// keepKeys adds lines to a file of known hosts, and says so.
func (a *app) keepKeys(file string, lines []string) bool {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err == nil {
		if f, err := os.OpenFile(file, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600); err == nil {
			_, err1 := f.WriteString(strings.Join(lines, "\n") + "\n")
			if err := errors.Join(err1, f.Close()); err == nil {
				a.tell(fmt.Sprintf("%s kept in %s", view.Count(len(lines), "host key"), file))
				return true
			}
		}
	}
	a.tell(file + ": the host keys cannot be kept there")
	return false
}

// yes asks a question on a terminal; where there is none the answer is no.
func (a *app) yes(question string) bool {
	f, ok := a.in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return false
	}
	fmt.Fprintf(a.err, "\r%s [y/N] ", view.Clean(question))
	line, _ := bufio.NewReader(f).ReadString('\n')
	return strings.EqualFold(strings.TrimSpace(line), "y")
}

// observeLive asks devices, tells who answered, and keeps it where that is asked for.
func (a *app) observeLive(o *observation, who []string) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	v, running, saved, err := a.askLive(ctx, w, &o.asking, who, o.unread)
	if err != nil {
		return err
	}
	if o.write != "" {
		if before, err := workspace.ReadState(os.DirFS(a.at(o.write))); err == nil {
			for i := range v.Devices {
				n := slices.IndexFunc(before, func(d *observed.Device) bool { return d.Name == v.Devices[i].Device })
				v.Devices[i].Restarted = n >= 0 && restarted(before[n].Started, v.Devices[i].Started)
			}
		}
	}
	if err := a.print(v, v.Table(a.wide), func() { v.Text(a.out, a.width, a.wide) }); err != nil {
		return err
	}
	switch {
	case o.write == "":
		fmt.Fprintln(a.err, "nothing is kept; -w DIR keeps it")
	case len(running) > 0:
		all := slices.Concat(running, saved)
		if err := a.keep(o.write, all); err != nil {
			return err
		}
	}
	if o.every > 0 && ctx.Err() == nil {
		return a.observeAgain(ctx, w, o, who, running)
	}
	switch {
	case v.Stopped:
		return errInterrupted
	case v.Answered == 0:
		return notAsked{errors.New("no device answered")}
	case v.Answered < v.Asked:
		return nil // told by the exit code, as everything that stands on who answered
	case len(v.Short) > 0:
		return errWrong
	}
	return nil
}

// restarted tells whether a device started anew between two looks: later than what two ways of
// telling the time may differ by.
func restarted(before, now string) bool {
	was, err1 := time.Parse(time.RFC3339, before)
	is, err2 := time.Parse(time.RFC3339, now)
	return err1 == nil && err2 == nil && is.Sub(was) > time.Minute
}

// observeAgain asks again and again, and tells what changed.
func (a *app) observeAgain(ctx context.Context, w *workspace.Workspace, o *observation, who []string, before []*observed.Device) error {
	silent := map[string]bool{}
	for {
		a.flush()
		select {
		case <-ctx.Done():
			return errInterrupted
		case <-time.After(o.every):
		}
		v, now, saved, err := a.askLive(ctx, w, &o.asking, who, false)
		if err != nil {
			return err
		}
		if ctx.Err() != nil {
			return errInterrupted
		}
		if o.write != "" && len(now) > 0 {
			if err := a.keepQuietly(o.write, slices.Concat(now, saved)); err != nil {
				return err
			}
		}
		at := time.Now().UTC().Format(time.RFC3339)
		tell := func(device, what, was, is string) {
			if a.format == formatJSON {
				line, _ := json.Marshal(view.Changed{Time: at, Device: device, What: what, Was: was, Is: is})
				fmt.Fprintln(a.out, string(line))
				return
			}
			view.ChangedText(a.out, at, device, what, was, is)
		}
		for _, f := range v.Failed {
			if !silent[f.Device] {
				tell(f.Device, "answers", "yes", "no: "+f.Reason+", "+f.Why)
			}
			silent[f.Device] = true
		}
		for _, d := range now {
			if silent[d.Name] {
				tell(d.Name, "answers", "no", "yes")
				delete(silent, d.Name)
			}
			was := slices.IndexFunc(before, func(x *observed.Device) bool { return x.Name == d.Name })
			if was < 0 {
				before = append(before, d)
				continue
			}
			if restarted(before[was].Started, d.Started) {
				tell(d.Name, "restarted", before[was].Started, d.Started)
			}
			if d.ClockAhead != before[was].ClockAhead && (d.ClockAhead == 0 || before[was].ClockAhead == 0) {
				tell(d.Name, "clock", cmp.Or(view.ClockWords(before[was].ClockAhead), "right"), cmp.Or(view.ClockWords(d.ClockAhead), "right"))
			}
			for _, x := range w.Between([]*observed.Device{before[was]}, []*observed.Device{d}).Differences {
				tell(d.Name, strings.TrimSpace(string(x.What)+" "+x.Subject), x.Planned, x.Found)
			}
			before[was] = d
		}
	}
}
