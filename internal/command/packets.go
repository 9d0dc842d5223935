package command

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// at is a path as seen from the working folder.
func (a *app) at(path string) string {
	if filepath.IsAbs(path) {
		return path
	}
	return filepath.Join(a.dir, path)
}

// packets prints a capture.
func (a *app) packets() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "packets FILE [INTERFACE [INTERFACE]]",
		Aliases: []string{"packet", "capture"},
		Short:   "A capture, packet by packet; two interfaces side by side",
		Example: "  ropeswing ping desk-7 192.0.2.200 -4 --capture ping.pcapng\n  ropeswing show packets ping.pcapng\n  ropeswing show " +
			"packets ping.pcapng quay-edge:lan0 quay-edge:wan0",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 || len(args) > 3 {
				return errors.New("name a capture, and none, one or two of its interfaces: ropeswing show packets ping.pcapng")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			v, broken := readPackets(a.at(args[0]), args[0])
			if v == nil {
				return broken
			}
			for _, name := range args[1:] {
				if !slices.Contains(v.Interfaces, name) {
					err := fmt.Errorf("%s has no packet on %s; it has some on %s", args[0], view.Clean(name),
						view.Clean(strings.Join(v.Interfaces, ", ")))
					if near, ok := finding.Nearest(name, v.Interfaces); ok {
						err = fmt.Errorf("%s has no packet on %s; did you mean %s?", args[0], view.Clean(name), view.Clean(near))
					}
					return err
				}
			}
			if len(args) == 3 && a.match != "" {
				return errors.New("--match goes with packets one below the other, not with two interfaces side by side")
			}
			if len(args) > 1 {
				v.Of(args[1:]...)
			}
			var err error
			if len(args) < 3 {
				v.Packets, _ = view.Matching(v.Packets, v.Table(), a.match)
			}
			if len(args) == 3 {
				err = a.print(v, v.Beside(args[1], args[2]), func() { v.BesideText(a.out, args[1], args[2], a.width) })
			} else {
				err = a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide) })
			}
			if err == nil && broken != nil {
				return broken
			}
			return err
		},
	}
	a.listFlags(cmd)
	a.formatFlags(cmd)
	return cmd
}

// readPackets reads a capture; what it holds before it breaks off comes with the
// error.
func readPackets(full, path string) (*view.Packets, error) {
	f, err := files.OpenPlain(full)
	if err != nil {
		var cause *os.PathError
		if errors.As(err, &cause) {
			err = cause.Err
		}
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	defer f.Close()
	all, err := wire.ReadCapture(f)
	if err != nil {
		err = fmt.Errorf("%s: %w", path, err)
	}
	if len(all) == 0 && err != nil {
		return nil, err
	}
	v := &view.Packets{File: path, Interfaces: []string{}, Packets: []view.Packet{}}
	for _, c := range all {
		if !slices.Contains(v.Interfaces, c.Interface) {
			v.Interfaces = append(v.Interfaces, c.Interface)
		}
		v.Packets = append(v.Packets, view.Packet{
			Number: c.Number, Micros: view.Micros(c.Nanos), Interface: c.Interface, Way: c.Way, VLAN: c.VLAN, FromMAC: c.FromMAC, ToMAC: c.ToMAC,
			Source: c.Source, Target: c.Target, TTL: max(0,
				c.TTL), What: c.What, Length: c.Length, Problem: c.Problem, Key: c.Key, Checksum: c.Checksum,
		})
	}
	return v, err
}

// capture writes the frames of predicted pings, on the interfaces named or on every
// port.
func (a *app) capture(w *workspace.Workspace, path string, at []string, trials []ask.Trial) error {
	var only []model.InterfaceID
	for _, name := range at {
		e, err := w.Endpoint(name)
		if err == nil && e.Interface == model.None {
			err = fmt.Errorf("--at is DEVICE:INTERFACE, not %s", name)
		}
		if err != nil {
			return err
		}
		only = append(only, e.Interface)
	}
	var all []frames.Frame
	later := int64(0)
	for _, t := range trials {
		last := int64(0)
		for _, f := range frames.Of(w.Network, t.Exchange) {
			last = max(last, f.Nanos)
			if f.Nanos += later; len(only) == 0 && w.Spec.Interfaces[f.At].Kind == model.Port || slices.Contains(only, f.At) {
				all = append(all, f)
			}
		}
		later += last + 1e9
	}
	if len(all) == 0 {
		return errors.New("there is nothing to capture: no frame of the exchange passes there")
	}
	full := a.at(path)
	var b bytes.Buffer
	if err := wire.WriteCapture(&b, w.Spec, all); err != nil {
		return err
	}
	if err := files.Put(full, b.Bytes(), a.tell, files.CaptureFile); err != nil {
		return notWritten(path, err)
	}
	fmt.Fprintf(a.err, "%s on %s written to %s; read it: %s show packets %s\n", view.Count(len(all), "frame"),
		view.Count(count(all), "interface"), path, "ropeswing", view.ShellWord(path))
	return nil
}

// count is on how many interfaces frames are.
func count(all []frames.Frame) int {
	seen := map[model.InterfaceID]bool{}
	for _, f := range all {
		seen[f.At] = true
	}
	return len(seen)
}
