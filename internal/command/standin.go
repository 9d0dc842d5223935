package command

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	corestandin "ropeswing/core/standin"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/standin"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

func (a *app) standIn() *cobra.Command {
	var o standin.Options
	var lists, folder, speaks string
	cmd := &cobra.Command{
		Use:     "stand-in [PLAN|STATE] [DEVICE…]",
		Short:   "Serve simulated devices that can be asked and told",
		GroupID: groupReal,
		Long: "Serve devices of the plan, or of an observed state, as simulated ones on this\n" +
			"machine: each answers SNMP (version 2c, and 3 with SHA-256 and AES), NETCONF over\n" +
			"SSH and RESTCONF, and prints lists by SSH. What is set takes effect on what the others see; what\n" +
			"is not saved is gone after a restart. All of them are served unless some are named.\n" +
			"Who may ask is made up at the start, and kept in a folder that goes with the\n" +
			"program. Ctrl-C ends all.",
		Example: "  ropeswing stand-in\n  ropeswing stand-in quay-edge quay-core\n  ropeswing stand-in bad-morning/observed " +
			"--trouble slow,cut",
		ValidArgsFunction: a.completeDevices,
		RunE: func(_ *cobra.Command, args []string) error {
			args = a.planOrState(args)
			w, err := a.usable()
			if err != nil {
				return err
			}
			var names []string
			for _, name := range args {
				d, err := w.Device(name)
				if err != nil {
					return err
				}
				names = append(names, w.Spec.Devices[d].Name)
			}
			if lists != "" {
				text, err := a.readFile(lists)
				if err != nil {
					return err
				}
				if o.Lists, err = standin.ReadLists(text); err != nil {
					return fmt.Errorf("%s: %w", lists, err)
				}
			}
			if speaks != "" {
				make := standin.Speeches[speaks]
				if make == nil {
					return fmt.Errorf("stand-ins speak no %s; they speak %s", speaks, strings.Join(languages(), " and "))
				}
				o.Speaks = make()
			}
			y := corestandin.New(w.Network, nil)
			if len(names) == 0 {
				names = y.Names()
			}
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			return a.serveStandIns(ctx, y, names, o, folder)
		},
	}
	var kinds []string
	for k := range standin.Troubles {
		kinds = append(kinds, k)
	}
	slices.Sort(kinds)
	cmd.Flags().StringVar(&o.Trouble, "trouble", "", "make `TROUBLE`, with commas between: "+strings.Join(kinds, ", "))
	cmd.Flags().Uint64Var(&o.Seed, "seed", 1, "the seed `N` by which trouble comes")
	cmd.Flags().StringVar(&lists, "lists", "", "print lists of your own too: templates in `FILE`")
	cmd.Flags().StringVar(&speaks, "speaks", "", "the `LANGUAGE` of invented gear that a stand-in's console speaks: "+
		strings.Join(languages(), ", "))
	cmd.Flags().StringVar(&folder, "access", "", "keep who may ask in the new folder `FOLDER`; a temporary one unless said")
	a.must(cmd.RegisterFlagCompletionFunc("speaks", cobra.FixedCompletions(languages(), noFiles)))
	a.must(cmd.RegisterFlagCompletionFunc("trouble", cobra.FixedCompletions(kinds, noFiles)))
	a.observedFlag(cmd)
	return cmd
}

// languages are those that stand-ins speak.
func languages() []string { return slices.Sorted(maps.Keys(standin.Speeches)) }

// planOrState takes a first argument that is a plan, or a folder that no device is called
// like, for what is asked about; the rest is returned.
func (a *app) planOrState(args []string) []string {
	if len(args) == 0 {
		return args
	}
	name := args[0]
	if isPlan(name) {
		a.plan = name
		return args[1:]
	}
	if info, err := os.Stat(a.at(name)); err != nil || !info.IsDir() {
		return args
	}
	if w, err := a.usable(); err == nil {
		if _, err := w.Device(name); err == nil {
			return args
		}
	}
	a.observed = name
	return args[1:]
}

// serveStandIns serves until the context ends.
func (a *app) serveStandIns(ctx context.Context, y *corestandin.Yard, names []string, o standin.Options, folder string) error {
	secrets, err := standin.NewSecrets()
	if err != nil {
		return err
	}
	served, wait, err := standin.Serve(ctx, y, names, secrets, o)
	if err != nil {
		if errors.Is(err, syscall.EACCES) || errors.Is(err, syscall.EADDRINUSE) || errors.Is(err, syscall.EMFILE) {
			return notAsked{err}
		}
		return err
	}
	file, remove, err := a.keepAccess(served, secrets, folder, o.Speaks)
	if err != nil {
		return err
	}
	defer remove()
	t := view.Table{Columns: []view.Column{{Key: "device", Title: "device"}, {Key: "snmp", Title: "SNMP"},
		{Key: "ssh", Title: "NETCONF and lists, by SSH"}, {Key: "tls", Title: "RESTCONF"}}}
	for _, s := range served {
		t.Rows = append(t.Rows, []string{s.Name, s.SNMP, s.SSH, s.Web})
	}
	fmt.Fprintf(a.out, "%s served; Ctrl-C ends them all\n", view.Count(len(served), "stand-in"))
	t.Text(a.out, a.width, "", false)
	fmt.Fprintf(a.out, "next: %s observe --live --access %s\n", a.self(), view.ShellWord(file))
	a.flush()
	<-ctx.Done()
	wait()
	return nil
}

// standInsOf serves stand-ins of all devices as a state has them, until the function that comes
// back is called, and says where it stands who may ask.
func (a *app) standInsOf(ctx context.Context, state string) (file string, end func(), err error) {
	a.observed = state
	w, err := a.usable()
	if err != nil {
		return "", nil, err
	}
	secrets, err := standin.NewSecrets()
	if err != nil {
		return "", nil, err
	}
	ctx, stop := context.WithCancel(ctx)
	y := corestandin.New(w.Network, nil)
	served, wait, err := standin.Serve(ctx, y, y.Names(), secrets, standin.Options{})
	if err != nil {
		stop()
		return "", nil, notAsked{err}
	}
	file, remove, err := a.keepAccess(served, secrets, "", nil)
	return file, func() {
		stop()
		wait()
		if err == nil {
			remove()
		}
	}, err
}

// keepAccess keeps who may ask in a folder of its own, which goes with the program.
func (a *app) keepAccess(served []standin.Served, secrets *standin.Secrets, folder string, speaks *standin.Speech) (file string,
	remove func(), err error) {
	if folder == "" {
		if folder, remove, err = files.Temporary("stand-in"); err != nil {
			return "", nil, err
		}
	} else {
		folder = a.at(folder)
		if remove, err = files.Held(folder); errors.Is(err, fs.ErrExist) && clearLeft(folder) {
			remove, err = files.Held(folder)
		}
		if err != nil {
			return "", nil, fmt.Errorf("--access is a new folder: %w", errors.Unwrap(err))
		}
	}
	if o, err := accessOf(served, secrets, folder, speaks); err == nil {
		return o, remove, nil
	} else {
		remove()
		return "", nil, err
	}
}

// clearLeft removes a folder that stand-ins left which were killed: nobody holds it, and it has who may ask and nothing else.
func clearLeft(folder string) bool {
	unlock, ok := files.Abandoned(folder)
	if !ok {
		return false
	}
	defer unlock()
	entries, err := os.ReadDir(folder)
	if err != nil || len(entries) == 0 {
		return false
	}
	for _, e := range entries {
		ours := slices.Contains([]string{"access.yaml", "known-hosts", "key", "auth", "privacy", "password", "community"}, e.Name()) ||
			strings.HasSuffix(e.Name(), ".gear.yaml") || strings.HasSuffix(e.Name(), ".form")
		if !ours || !e.Type().IsRegular() {
			return false
		}
	}
	return os.RemoveAll(folder) == nil
}

// accessOf writes the files of a folder by which stand-ins are asked.
func accessOf(served []standin.Served, secrets *standin.Secrets, folder string, speaks *standin.Speech) (string, error) {
	of := &access.Access{KnownHosts: "known-hosts"}
	hosts := ""
	for _, s := range served {
		of.Entries = append(of.Entries, access.Entry{For: s.Name, Ways: []access.Way{
			{By: access.NETCONF, At: s.SSH, User: secrets.User, Key: &access.Secret{File: "key"}},
			{By: access.RESTCONF, At: s.Web, User: secrets.User, Password: &access.Secret{File: "password"}},
			{By: access.SNMP, At: s.SNMP, Version: "3", User: secrets.SNMP.User, Auth: &access.Secret{File: "auth"},
				Privacy: &access.Secret{File: "privacy"}},
			{By: access.Lists, At: s.SSH, User: secrets.User, Password: &access.Secret{File: "password"}, Gear: "lists.gear.yaml"},
		}})
		if speaks != nil { // it is gear that speaks its own language, and no open protocol
			e := &of.Entries[len(of.Entries)-1]
			e.Ways = e.Ways[3:]
			e.Ways[0].Gear = speaks.Name + ".gear.yaml"
		}
		hosts += wire.KnownHost(s.SSH, s.HostKey) + "\n" + wire.KnownHost(s.Web, s.WebKey) + "\n"
	}
	text, err := of.Write()
	if err != nil {
		return "", err
	}
	written := map[string][]byte{
		"access.yaml": text, "known-hosts": []byte(hosts), "key": secrets.Key, "auth": []byte(secrets.SNMP.Auth +
			"\n"), "privacy": []byte(secrets.SNMP.Privacy + "\n"),
		"password": []byte(secrets.Password + "\n"), "community": []byte(secrets.SNMP.Community + "\n"), "lists.gear.yaml": standin.Gear,
	}
	if speaks != nil {
		written[speaks.Name+".gear.yaml"], written[speaks.Name+".form"] = speaks.Gear(), speaks.Form()
	}
	for name, text := range written {
		if err := os.WriteFile(filepath.Join(folder, name), text, 0o600); err != nil {
			return "", fmt.Errorf("%s: it cannot be written", filepath.Join(folder, name))
		}
	}
	return filepath.Join(folder, "access.yaml"), nil
}
