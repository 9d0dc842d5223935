package command

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"os/exec"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"

	"net"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	corestandin "ropeswing/core/standin"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/rehearse"
	"ropeswing/internal/standin"
	"ropeswing/internal/view"
)

// rehearsal makes the network and does in it what is asked.
func (a *app) rehearsal(o *rehearsalOptions) error {
	if o.join {
		return a.joinRehearsal()
	}
	w, err := a.usable()
	if err != nil {
		return err
	}
	if w, err = w.Without(o.without...); err != nil {
		return err
	}
	asked, main, err := rehearsedPairs(w, o)
	if err != nil {
		return err
	}
	standing, err := standingAt(w, o)
	if err != nil {
		return err
	}
	if os.Geteuid() != 0 {
		return a.asRootOfOneself()
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	net, err := rehearse.AsHere(w.Network)
	if err != nil {
		return notAsked{withNamespaceHint(err)}
	}
	lab, err := rehearse.Make(ctx, net, func(done, all int) { a.progressText(fmt.Sprintf("making %d of %d devices", done, all)) }, nil)
	a.progressText("")
	if err != nil {
		if ctx.Err() != nil {
			return errInterrupted
		}
		return notAsked{withNamespaceHint(err)}
	}
	defer lab.Close()
	if o.standIns {
		end, err := a.standInside(ctx, lab, w)
		if err != nil {
			return notAsked{err}
		}
		defer end()
	}
	switch {
	case o.shell != "":
		return standThere(lab, w, standing, shellOf(w.Spec.Devices[standing].Name))
	case len(o.words) > 0 && o.capture == "":
		return standThere(lab, w, standing, o.words)
	}
	r := &rehearsed{app: a, lab: lab, w: w, asked: asked, main: main}
	if o.capture != "" {
		return a.captured(o, w, lab, func() error { return r.check(ctx, o) })
	}
	if o.stay {
		return a.stay(ctx, r, o)
	}
	return r.check(ctx, o)
}

// The ports at which stand-ins answer in a rehearsal: those of the protocols.
const (
	snmpPort     = "161"
	netconfPort  = "830"
	restconfPort = "443"
)

// standInside has every device of a rehearsal answer at its own addresses, over the rehearsed
// network; what is set on one is set in the rehearsal. The function that comes back ends it.
func (a *app) standInside(ctx context.Context, lab *rehearse.Lab, w *workspace.Workspace) (end func(), err error) {
	y := corestandin.New(w.Network, nil)
	secrets, err := standin.NewSecrets()
	if err != nil {
		return nil, err
	}
	ctx, stop := context.WithCancel(ctx)
	served, wait, err := standin.Serve(ctx, y, y.Names(), secrets, standin.Options{
		Inside: func(name string, f func() error) error {
			d, _ := w.Spec.DeviceNamed(name)
			return lab.Inside(d, f)
		},
		Listen: func(_, network string) (string, error) {
			return "[::]:" + map[string]string{"udp": snmpPort, "tcp": netconfPort, "tls": restconfPort}[network], nil
		},
	})
	if err != nil {
		stop()
		return nil, err
	}
	for i := range served {
		d, _ := w.Spec.DeviceNamed(served[i].Name)
		for _, family := range []prefix.Family{prefix.IPv6, prefix.IPv4} { // IPv4 where there are both
			if at := w.Spec.MainAddress(d, family); at.IsValid() {
				served[i].SNMP, served[i].SSH = net.JoinHostPort(at.String(), snmpPort), net.JoinHostPort(at.String(), netconfPort)
				served[i].Web = net.JoinHostPort(at.String(), restconfPort)
			}
		}
	}
	file, remove, err := a.keepAccess(served, secrets, "", nil)
	if err != nil {
		stop()
		wait()
		return nil, err
	}
	y.OnChange(func(net *forward.Network) {
		if err := lab.Become(net); err != nil {
			a.tell("what was set cannot be rehearsed: " + err.Error())
		}
	})
	// Whatever is started in the rehearsal asks these devices.
	was, had := os.LookupEnv(accessVariable)
	if err := os.Setenv(accessVariable, file); err != nil {
		a.tell(err.Error())
	}
	a.tell("the devices answer; at the operator's, also in a shell there: " + a.self() + " observe --live")
	return func() {
		_ = os.Unsetenv(accessVariable)
		if had {
			_ = os.Setenv(accessVariable, was)
		}
		y.OnChange(nil)
		stop()
		wait()
		remove()
	}, nil
}

// withNamespaceHint adds what may be done about a system that makes no namespaces.
func withNamespaceHint(err error) error {
	switch {
	case errors.Is(err, unix.EPERM):
		return fmt.Errorf("%w: run it as root, or let users make namespaces (sysctl user.max_user_namespaces, and what your system has "+
			"beside it)", err)
	case errors.Is(err, unix.ENOSPC):
		return fmt.Errorf("%w: the system allows no more network namespaces (sysctl user.max_net_namespaces)", err)
	case errors.Is(err, unix.EINVAL), errors.Is(err, unix.ENOSYS), errors.Is(err, unix.EOPNOTSUPP):
		return fmt.Errorf("%w: this kernel lacks something that it takes: network namespaces, veth, bridges, or nftables for permits", err)
	}
	return err
}

// asRootOfOneself runs the same command in a user namespace, in which a user may make
// network namespaces, and ends as it does.
func (a *app) asRootOfOneself() error {
	cmd := exec.Command("/proc/self/exe", os.Args[1:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{
		Cloneflags:  syscall.CLONE_NEWUSER,
		UidMappings: []syscall.SysProcIDMap{{ContainerID: 0, HostID: os.Geteuid(), Size: 1}},
		GidMappings: []syscall.SysProcIDMap{{ContainerID: 0, HostID: os.Getegid(), Size: 1}},
		Pdeathsig:   syscall.SIGKILL,
	}
	defer passedOn()()
	if err := cmd.Start(); err != nil {
		return notAsked{withNamespaceHint(fmt.Errorf("%w: no user namespace can be made: %w", rehearse.ErrNotPossible, err))}
	}
	var ended *exec.ExitError
	if err := cmd.Wait(); errors.As(err, &ended) {
		return exitCode(ended.ExitCode())
	} else if err != nil {
		return notAsked{err}
	}
	return nil
}

// passedOn leaves Ctrl-C to the program that runs in front, which ignores it only if it wants
// to, until the function that comes back is called.
func passedOn() (stop func()) {
	taken := make(chan os.Signal, 1)
	signal.Notify(taken, os.Interrupt)
	return func() { signal.Stop(taken) }
}

// rehearsedPairs is who asks whom.
func rehearsedPairs(w *workspace.Workspace, o *rehearsalOptions) (asked map[model.DeviceID][]netip.Addr, main bool, err error) {
	asked, main = rehearse.Everyone(w.Network)
	if o.from != "" {
		from, err := w.Meant(w.Network, o.from)
		if err != nil {
			return nil, false, err
		}
		only := map[model.DeviceID][]netip.Addr{}
		for _, e := range from {
			if e.Device == model.None {
				return nil, false, fmt.Errorf("nobody in the plan has %s, so nobody can ask from there", e.Text)
			}
			only[e.Device] = asked[e.Device]
		}
		asked = only
	}
	if o.to == "" {
		return asked, main, nil
	}
	to, err := w.Meant(w.Network, o.to)
	if err != nil {
		return nil, false, err
	}
	var targets []netip.Addr
	for _, e := range to {
		switch {
		case e.Address.IsValid():
			targets = append(targets, e.Address)
		case e.Interface != model.None:
			for _, a := range w.Spec.Interfaces[e.Interface].Addresses {
				targets = append(targets, a.Addr())
			}
		default:
			for _, a := range w.Spec.Own(e.Device) {
				if a.IsSingleIP() {
					targets = append(targets, a.Addr())
				}
			}
		}
	}
	targets = slices.DeleteFunc(targets, netip.Addr.IsLinkLocalUnicast)
	if len(targets) == 0 {
		return nil, false, fmt.Errorf("%s has no address to ask", o.to)
	}
	for d := range asked {
		asked[d] = targets
	}
	return asked, false, nil
}

// standingAt is the device to stand at, where a shell or command is asked for.
func standingAt(w *workspace.Workspace, o *rehearsalOptions) (model.DeviceID, error) {
	name := o.shell
	switch {
	case name == "" && (len(o.words) == 0 || o.capture != ""):
		return model.None, nil
	case name == "" && o.at != "":
		name = o.at
	case name == "":
		e, err := w.Operator()
		if err != nil {
			return model.None, fmt.Errorf("at which device? --at DEVICE says it: %w", err)
		}
		return e.Device, nil
	}
	return w.Device(name)
}

// shellOf is the shell of whoever asks, with a prompt that says where one is.
func shellOf(device string) []string {
	shell := os.Getenv("SHELL")
	if shell == "" {
		shell = "/bin/sh"
	}
	_ = os.Setenv("PS1", "["+device+"] \\w \\$ ")
	switch {
	case strings.HasSuffix(shell, "/bash"):
		return []string{shell, "--norc"}
	case strings.HasSuffix(shell, "/zsh"):
		_ = os.Setenv("PS1", "["+device+"] %~ %# ")
		return []string{shell, "-f"}
	}
	_ = os.Setenv("PS1", "["+device+"] $ ")
	return []string{shell}
}

// standThere runs a command at a device, and ends as it does.
func standThere(lab *rehearse.Lab, w *workspace.Workspace, d model.DeviceID, words []string) error {
	lab.Settled(settlesWithin)
	cmd := exec.Command(words[0], words[1:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	defer passedOn()()
	if err := lab.Inside(d, cmd.Start); err != nil {
		return fmt.Errorf("at %s: %w", w.Spec.Devices[d].Name, err)
	}
	var ended *exec.ExitError
	if err := cmd.Wait(); errors.As(err, &ended) {
		return exitCode(ended.ExitCode())
	} else if err != nil {
		return err
	}
	return nil
}

// captured writes what passes an interface while something is done.
func (a *app) captured(o *rehearsalOptions, w *workspace.Workspace, lab *rehearse.Lab, do func() error) error {
	f, err := w.Network.State.FailureNamed(o.capture)
	if err != nil || f.Interface == model.None {
		return fmt.Errorf("--capture is DEVICE:INTERFACE, and %q is none of the plan", o.capture)
	}
	var held heldBack
	stop, err := lab.Capture(f.Interface, &held)
	if err != nil {
		return err
	}
	outcome := do()
	count, err := stop()
	if err == nil {
		err = files.Put(a.at(o.words[0]), held.bytes, a.tell, files.CaptureFile)
	}
	if err != nil {
		return notWritten(o.words[0], err)
	}
	a.tell(fmt.Sprintf("%s of %s in %s; 'ropeswing show packets %s' lists them", view.Count(count, "packet"), o.capture, o.words[0],
		view.ShellWord(o.words[0])))
	return outcome
}

// rehearsed is a rehearsal that is there.
type rehearsed struct {
	app   *app
	lab   *rehearse.Lab
	w     *workspace.Workspace
	asked map[model.DeviceID][]netip.Addr
	main  bool
}

const settlesWithin = rehearse.MostSettling

// check asks everyone, and tells what came of it.
func (r *rehearsed) check(ctx context.Context, o *rehearsalOptions) error {
	v, err := r.result(ctx, o)
	if err != nil {
		return err
	}
	if err := r.app.print(v, v.Table(), func() { v.Text(r.app.out, r.app.width) }); err != nil {
		return err
	}
	return liveEnd(nil, v.Stopped, v.Well())
}

// result asks everyone, does the requirements, and cuts cables where that is asked for.
func (r *rehearsed) result(ctx context.Context, o *rehearsalOptions) (*view.Rehearsal, error) {
	a, spec := r.app, r.w.Spec
	v := &view.Rehearsal{Basis: r.w.Basis, Devices: len(spec.Devices), Watches: r.lab.Watches(), MainOnly: r.main,
		Requirements: []view.RehearsedMust{}, Differ: []view.RehearsedDifference{}, Unlike: []string{}}
	for _, f := range r.lab.Network().State.Failures() {
		v.Without = append(v.Without, f.Name(spec))
	}
	for _, u := range rehearse.UnlikeOf(spec) {
		v.Unlike = append(v.Unlike, u.Words())
	}
	a.progressText("waiting for the watches")
	v.Unsettled = !r.lab.Settled(settlesWithin)
	a.progressText("asking everyone")
	total, err := r.lab.Check(ctx, r.asked, true)
	if err != nil {
		return nil, err
	}
	if err := r.lab.Look(ctx, total.Differ); err != nil && ctx.Err() == nil {
		return nil, err
	}
	r.add(v, total, "")
	if o.from == "" && o.to == "" && !r.app.planless {
		musts, err := r.lab.Require(ctx, func(done, all int) { a.progressText(fmt.Sprintf("requirement %d of %d", done, all)) })
		if err != nil {
			return nil, err
		}
		for _, m := range musts {
			v.Requirements = append(v.Requirements, rehearsedMust(r.w, m))
		}
	}
	if o.failures > 0 {
		if err := r.failures(ctx, v); err != nil {
			return nil, err
		}
	}
	a.progressText("")
	v.Stopped = ctx.Err() != nil
	for _, d := range v.Differ {
		v.Next = fmt.Sprintf("%s ping %s %s%s", a.self(), view.ShellWord(d.From), view.ShellWord(strings.Fields(d.To)[0]), a.observedWords())
		break
	}
	return v, nil
}

// failures cuts each cable in turn and asks again.
func (r *rehearsed) failures(ctx context.Context, v *view.Rehearsal) error {
	already := r.lab.Network().State.Failures()
	all := reach.Cables(r.lab.Network().State)
	for i, f := range all {
		if slices.Contains(already, f) {
			continue
		}
		name := f.Name(r.w.Spec)
		r.app.progressText(fmt.Sprintf("cable %d of %d: %s", i+1, len(all), name))
		if err := r.lab.Put(slices.Concat(already, []network.Failure{f})...); err != nil {
			return err
		}
		settled := r.lab.Settled(settlesWithin)
		t, err := r.lab.Check(ctx, r.asked, false)
		if err != nil {
			return err
		}
		v.Unsettled = v.Unsettled || !settled
		v.Failures = append(v.Failures, view.RehearsedFailure{Part: name, Pings: t.Pings, PingsAsPredicted: t.PingsAsPredicted,
			Replies: t.Replies, CutOff: []string{}})
		r.add(v, t, name)
		if ctx.Err() != nil {
			break
		}
	}
	if err := r.lab.Put(already...); err != nil {
		return err
	}
	r.lab.Settled(settlesWithin)
	return r.cutOff(ctx, v)
}

// cutOff adds to each failure whom it cuts off, by the places that 'reach --failures' counts: predicted, as the pings that agree confirm.
func (r *rehearsed) cutOff(ctx context.Context, v *view.Rehearsal) error {
	net := r.lab.Network()
	already := net.State.Failures()
	ends := append(slices.Clip(reach.WithoutLinks(net.Spec, reach.Ends(net.Spec))), reach.Loopbacks(net.Spec)...)
	var cables [][]network.Failure
	for _, f := range reach.Cables(net.State) {
		if !slices.Contains(already, f) {
			cables = append(cables, []network.Failure{f})
		}
	}
	err := reach.Sweep(ctx, net, reach.Asked{Ends: ends}, cables, func(l reach.Loss) { v.CutsOff(net, l) })
	if ctx.Err() != nil { // what it has so far stands
		return nil
	}
	return err
}

// add adds what came of asking.
func (r *rehearsed) add(v *view.Rehearsal, t rehearse.Tally, without string) {
	v.Pings, v.PingsAsPredicted, v.Replies = v.Pings+t.Pings, v.PingsAsPredicted+t.PingsAsPredicted, v.Replies+t.Replies
	v.Traces, v.TracesAsPredicted, v.NotCompared = v.Traces+t.Traces, v.TracesAsPredicted+t.TracesAsPredicted, v.NotCompared+t.NotSaid
	for _, d := range t.Differ {
		x := view.NewRehearsedDifference(r.lab.Network(), d.From, d.Exchange, d.Replied, without)
		if d.Outcome == rehearse.AtHop {
			x.AtHop(r.w.Spec, d.Hop, d.Device, d.Want.From, d.Want.Word, d.Got.From, d.Got.Word)
		}
		for _, s := range d.Seen {
			x.Saw(r.w.Spec, s.At, s.Out, s.From, s.To, s.What)
		}
		v.Differ = append(v.Differ, x)
	}
}

// rehearsedMust is one requirement, as it is shown.
func rehearsedMust(w *workspace.Workspace, m rehearse.Requirement) view.RehearsedMust {
	x := view.RehearsedMust{Requirement: m.Of.Text, Outcome: "holds", Pairs: m.Pairs}
	switch {
	case m.Err != nil:
		x.Outcome, x.Why = "not asked", m.Err.Error()
	case m.Failing > 0:
		x.Outcome = "does not hold"
		verb := "does not reach"
		if m.Of.Not {
			verb = "reaches"
		}
		x.Why = fmt.Sprintf("%s %s %s", w.Spec.HolderLabel(m.First.Source), verb, w.Spec.HolderLabel(m.First.Target))
		if len(m.Of.Through) > 0 {
			x.Why += ", or goes another path"
		}
		if len(m.Without) > 0 {
			x.Why += " without " + strings.Join(m.Without, ", ")
		}
		if m.Failing > 1 {
			x.Why += fmt.Sprintf("; %d of %s", m.Failing, view.Count(m.Pairs, "pair"))
		}
	}
	return x
}
