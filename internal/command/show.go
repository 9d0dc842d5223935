package command

import (
	"errors"

	"github.com/spf13/cobra"

	"ropeswing/core/model"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

func (a *app) show() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "show THING [DEVICE…]",
		Short:   "List devices, segments, interfaces, routes, hosts, blocks and more",
		GroupID: groupLook,
		Example: "  ropeswing show routes mole-rtr\n  ropeswing show routes quay-edge --without beam-a\n  ropeswing show interfaces --wide\n  ropeswing show segments -o csv",
		Args:    cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(cmd, args[0])
			}
			return errors.New("show what? devices, segments, interfaces, routes, hosts, addresses or blocks")
		},
	}
	cmd.AddCommand(
		a.list("devices", "device", "The devices with their addresses", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
			data, table := view.Devices(w.Tables, devices)
			return data, table, nil
		}),
		a.list("segments", "segment", "The segments with their subnets; of a device: those it is on", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
			data, table := view.Segments(w.Tables, devices)
			return data, table, nil
		}),
		a.list("interfaces", "interface", "The interfaces with addresses and state", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
			data, table := view.Interfaces(w.Tables, devices)
			return data, table, nil
		}),
		a.routes(),
		a.list("hosts", "host", "The hosts side by side, and what is odd about any", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
			data, table := view.Hosts(w.Tables, devices)
			return data, table, nil
		}),
		a.list("addresses", "address", "Every address, in order, and who has it", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
			data, table := view.Addresses(w.Tables, devices)
			return data, table, nil
		}),
		a.blocks(),
	)
	return cmd
}

// list is one 'show' command, of the devices named or of all.
func (a *app) list(name, alias, short string, make func(*workspace.Workspace, []model.DeviceID) (any, view.Table, error)) *cobra.Command {
	var without []string
	cmd := a.shown(name+" [DEVICE…]", alias, short, a.completeDevices, func(w *workspace.Workspace, names []string) (any, view.Table, func(), error) {
		w, err := w.Without(without...)
		if err != nil {
			return nil, view.Table{}, nil, err
		}
		devices, err := devicesNamed(w, names)
		if err != nil {
			return nil, view.Table{}, nil, err
		}
		data, table, err := make(w, devices)
		return data, table, func() { table.Text(a.out, a.width, "", a.wide) }, err
	})
	a.withoutFlag(cmd, &without)
	a.wideFlag(cmd)
	return cmd
}

// shown is one 'show' command: it reads the plan, makes an answer of what is
// named, and prints it.
func (a *app) shown(use, alias, short string, complete cobra.CompletionFunc, make func(*workspace.Workspace, []string) (any, view.Table, func(), error)) *cobra.Command {
	cmd := &cobra.Command{
		Use: use, Aliases: []string{alias}, Short: short, ValidArgsFunction: complete,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			w, err := a.usable()
			if err != nil {
				return err
			}
			data, table, text, err := make(w, args)
			if err != nil {
				return err
			}
			return a.print(data, table, text)
		},
	}
	a.formatFlags(cmd)
	return cmd
}

func (a *app) routes() *cobra.Command {
	cmd := a.list("routes", "route", "The routes, and why some are not used", func(w *workspace.Workspace, devices []model.DeviceID) (any, view.Table, error) {
		families, err := a.families()
		data, table := view.Routes(w.Tables, devices, view.Families{Without4: families.Only6, Without6: families.Only4}, a.wide)
		return data, table, err
	})
	a.familyFlags(cmd)
	return cmd
}

// blocks is the one 'show' command that is not of devices.
func (a *app) blocks() *cobra.Command {
	return a.shown("blocks [BLOCK…]", "block", "The blocks: how full, and what lies where", a.completeBlocks, func(w *workspace.Workspace, names []string) (any, view.Table, func(), error) {
		for _, name := range names {
			if err := w.HasBlock(name); err != nil {
				return nil, view.Table{}, nil, err
			}
		}
		data, table := view.Blocks(w.Spec, names)
		return data, table, func() { view.BlocksText(a.out, data, a.width) }, nil
	})
}

// devicesNamed is the devices named, or all.
func devicesNamed(w *workspace.Workspace, names []string) ([]model.DeviceID, error) {
	var all []model.DeviceID
	if len(names) == 0 {
		for id := range w.Spec.Devices {
			all = append(all, model.DeviceID(id))
		}
		return all, nil
	}
	for _, name := range names {
		d, err := w.Device(name)
		if err != nil {
			return nil, err
		}
		all = append(all, d)
	}
	return all, nil
}
