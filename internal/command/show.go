package command

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

func (a *app) show() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "show THING [DEVICE…]",
		Short:   "List devices, segments, interfaces, VLANs, routes and more",
		GroupID: groupLook,
		Example: "  ropeswing show routes mole-rtr\n  ropeswing show routes quay-edge --without beam-a\n  ropeswing show interfaces --wide\n" +
			"  ropeswing show segments -o csv",
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(cmd, args[0])
			}
			return errors.New("show what? devices, segments, interfaces, ports, vlans, cables, neighbours, management, card, routes, permits, " +
				"translations, packets, hosts, addresses or blocks")
		},
	}
	cmd.AddCommand(
		a.stateList("devices", "device", "The devices with their addresses", rowsOf(view.Devices)),
		a.stateList("segments", "segment", "The segments with their subnets; of a device: those it is on", rowsOf(view.Segments)),
		a.interfaces(),
		a.ports(),
		a.stateList("vlans", "vlan", "Which switch has which VLAN where, and where one is missing", rowsOf(view.VLANs)),
		a.stateList("cables", "cable", "The cables, and whether anything gets through", rowsOf(view.Cables)),
		a.stateList("neighbours", "neighbors", "Who hears whom, interface by interface", rowsOf(view.Neighbours)),
		a.list("management", "managed", "Where each device is managed, and if the operator gets there",
			rowsOf(func(net *forward.Network, devices []model.DeviceID) ([]view.Managed, view.Table) {
				return view.Management(net, verify.Management(net), devices)
			})),
		a.card(),
		a.routes(),
		a.list("permits", "permit", "What devices let pass, in order, and what hangs on it",
			rowsOf(func(net *forward.Network, devices []model.DeviceID) ([]view.Permit, view.Table) {
				return view.Permits(net.Spec, verify.CountedPermits(net, devices), devices)
			})),
		a.list("translations", "translation", "Which addresses are which beyond which interface", rowsOf(view.Translations)),
		a.packets(),
		a.stateList("hosts", "host", "The hosts side by side, and what is odd about any",
			rowsOf(func(state *network.State, devices []model.DeviceID) ([]view.Host, view.Table) {
				return view.Hosts(state.Spec, verify.Hosts(state.Spec, devices))
			})),
		a.stateList("addresses", "address", "Every address, in order, and who has it", rowsOf(view.Addresses)),
		a.blocks(),
	)
	for _, list := range cmd.Commands() {
		if list.Flags().Lookup("observed") != nil {
			a.askedFirstFlag(list, "show")
		}
	}
	return cmd
}

// rows make the answer of a list from a network, or from its state: as data, and as
// the table to print.
type rows[From any] func(from From, devices []model.DeviceID, match string) (any, view.Table)

// rowsOf are the rows of a list, those that match a text.
func rowsOf[From, Row any](list func(From, []model.DeviceID) ([]Row, view.Table)) rows[From] {
	return func(from From, devices []model.DeviceID, match string) (any, view.Table) {
		data, table := list(from, devices)
		return view.Matching(data, table, match)
	}
}

// list is one 'show' command, of the devices named or of all.
func (a *app) list(name, alias, short string, make rows[*forward.Network]) *cobra.Command {
	var without []string
	cmd := a.shown(name+" [DEVICE…]", alias, short, a.completeDevices, func(w *workspace.Workspace, names []string) (answer, error) {
		w, err := w.Without(without...)
		if err != nil {
			return answer{}, err
		}
		return a.rowsFor(w.Who, names, func(devices []model.DeviceID) (any, view.Table) { return make(w.Network, devices, a.match) })
	})
	a.withoutFlag(cmd, &without)
	a.withFlag(cmd)
	a.listFlags(cmd)
	return cmd
}

// stateList is list for what can be told without following packets: no route is
// derived for it.
func (a *app) stateList(name, alias, short string, make rows[*network.State]) *cobra.Command {
	var without []string
	cmd := a.shownOf(name+" [DEVICE…]", alias, short, a.completeDevices, func(names []string) (answer, error) {
		who, state, err := a.stateWithout(without)
		if err != nil {
			return answer{}, err
		}
		return a.rowsFor(who, names, func(devices []model.DeviceID) (any, view.Table) { return make(state, devices, a.match) })
	})
	a.withoutFlag(cmd, &without)
	a.withFlag(cmd)
	a.listFlags(cmd)
	return cmd
}

// rowsFor is the answer of a list about the devices named, or all.
func (a *app) rowsFor(who ask.Who, names []string, make func([]model.DeviceID) (any, view.Table)) (answer, error) {
	devices, err := a.rowsMeant(who, names)
	if err != nil {
		return answer{}, err
	}
	data, table := make(devices)
	return answer{data, table, func() { table.Text(a.out, a.width, "", a.wide) }}, nil
}

// stateWithout is what is up, with parts out of order, and who is who: as planned, or
// as found where that is asked for.
func (a *app) stateWithout(without []string) (ask.Who, *network.State, error) {
	if a.observed != "" || len(a.with) > 0 || a.given != nil {
		return a.wholeState(without)
	}
	n, err := a.numbers()
	if err != nil {
		return ask.Who{}, nil, err
	}
	state := network.Build(n.Spec).State()
	if len(state.Followed()) > 0 { // who is master goes by what routes hear
		return a.wholeState(without)
	}
	failures, err := state.FailuresNamed(without...)
	return n.Who, state.With(failures...), err
}

// wholeState is stateWithout with all routes derived, and every watch asked.
func (a *app) wholeState(without []string) (ask.Who, *network.State, error) {
	w, err := a.usable()
	if err != nil {
		return ask.Who{}, nil, err
	}
	if w, err = w.Without(without...); err != nil {
		return ask.Who{}, nil, err
	}
	return w.Who, w.Network.State, nil
}

// answer is what a command prints: as data, as a table, and as text.
type answer struct {
	data  any
	table view.Table
	text  func()
}

// shown is one 'show' command: it reads the plan, makes an answer of what is
// named, and prints it.
func (a *app) shown(use, alias, short string, complete cobra.CompletionFunc,
	make func(*workspace.Workspace, []string) (answer, error)) *cobra.Command {
	return a.shownOf(use, alias, short, complete, func(names []string) (answer, error) {
		w, err := a.usable()
		if err != nil {
			return answer{}, err
		}
		return make(w, names)
	})
}

// shownOf is shown for what reads the plan in its own way.
func (a *app) shownOf(use, alias, short string, complete cobra.CompletionFunc, make func([]string) (answer, error)) *cobra.Command {
	cmd := &cobra.Command{
		Use: use, Aliases: []string{alias}, Short: short, ValidArgsFunction: complete,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			x, err := make(args)
			if err != nil {
				return err
			}
			return a.print(x.data, x.table, x.text)
		},
	}
	a.formatFlags(cmd)
	return cmd
}

// ports shows the ports of devices side by side, as one looks at them.
func (a *app) ports() *cobra.Command {
	var without []string
	cmd := a.shownOf("ports [DEVICE…]", "port", "The ports: what each carries, its state, what is plugged in", a.completeDevices,
		func(names []string) (answer, error) {
			who, state, err := a.stateWithout(without)
			if err != nil {
				return answer{}, err
			}
			devices, err := a.rowsMeant(who, names)
			if err != nil {
				return answer{}, err
			}
			data, table := view.Ports(state, devices)
			data, table = view.Matching(data, table, a.match)
			return answer{data, table, func() { view.PortsText(a.out, data, a.width) }}, nil
		})
	a.withoutFlag(cmd, &without)
	a.withFlag(cmd)
	a.listFlags(cmd)
	return cmd
}

// interfaces lists interfaces, or tells all of one.
func (a *app) interfaces() *cobra.Command {
	var without []string
	var f view.Filter
	cmd := a.shownOf("interfaces [DEVICE…|DEVICE:INTERFACE]", "interface", "The interfaces with addresses and state, or all of one",
		a.completeEndpoints, func(names []string) (answer, error) {
			who, state, err := a.stateWithout(without)
			if err != nil {
				return answer{}, err
			}
			if len(names) == 1 && strings.Contains(names[0], ":") {
				e, err := who.Endpoint(names[0])
				if err == nil && e.Interface == model.None {
					err = fmt.Errorf("nobody in the plan has %s", names[0])
				}
				if err != nil {
					return answer{}, err
				}
				data := view.OneInterface(state, e.Interface)
				_, table := view.Interfaces(state, []model.DeviceID{e.Device}, view.Filter{Match: names[0]})
				return answer{data, table, func() { view.InterfaceText(a.out, data, view.Carried(state.Spec, e.Interface), a.width) }}, nil
			}
			devices, err := a.rowsMeant(who, names)
			if err != nil {
				return answer{}, err
			}
			families, err := a.families()
			if err != nil {
				return answer{}, err
			}
			if f.Segment != "" {
				if err := who.HasSegment(f.Segment); err != nil {
					return answer{}, err
				}
			}
			f.Families, f.Match = families, a.match
			data, table := view.Interfaces(state, devices, f)
			return answer{data, table, func() { table.Text(a.out, a.width, "", a.wide) }}, nil
		})
	cmd.Flags().BoolVar(&f.Down, "down", false, "only those that are not up; unused ports are left out")
	cmd.Flags().StringVar(&f.Segment, "segment", "", "only those on `SEGMENT`, or that carry its VLAN")
	a.must(cmd.RegisterFlagCompletionFunc("segment", a.completeSegments))
	a.familyFlags(cmd)
	a.withoutFlag(cmd, &without)
	a.withFlag(cmd)
	a.listFlags(cmd)
	return cmd
}

// card is one page to work from at a device's console.
func (a *app) card() *cobra.Command {
	return a.shown("card DEVICE", "cards", "A page to work from at the console, in the order one types", a.completeDevices,
		func(w *workspace.Workspace, names []string) (answer, error) {
			if len(names) != 1 {
				return answer{}, errors.New("name the device: ropeswing show card quay-edge")
			}
			d, err := w.Device(names[0])
			if err != nil {
				return answer{}, err
			}
			data := view.NewCard(w.Spec, d, w.Basis, w.CardPings(w.Network, d))
			return answer{data, data.Table(), func() { data.Text(a.out, a.width) }}, nil
		})
}

func (a *app) routes() *cobra.Command {
	var f view.RouteFilter
	var without []string
	covering, derived, prices := "", false, false
	cmd := a.shown("routes [DEVICE…]", "route", "The routes, and why some are not used", a.completeDevices,
		func(w *workspace.Workspace, names []string) (answer, error) {
			err := a.routeFilter(&f, covering)
			if prices && a.format != "table" {
				return answer{}, errors.New("--prices is a table for people: leave out -o")
			}
			if derived = derived || prices; derived && err == nil {
				if f.Sources = []string{"derived"}; w.Spec.Wants == nil {
					err = errors.New("no route is derived: the plan has no 'wants'; write 'wants: {}' to have all reach all")
				}
			}
			if err != nil {
				return answer{}, err
			}
			if w, err = w.Without(without...); err != nil {
				return answer{}, err
			}
			devices, err := a.rowsMeant(w.Who, names)
			if err != nil {
				return answer{}, err
			}
			if a.match == "" && a.only == "" {
				f.NoData, f.NoRows = a.format != formatJSON, a.format == formatJSON
			}
			data, table := view.Routes(w.Network, devices, f)
			data, table = view.Matching(data, table, a.match)
			return answer{data, table, func() {
				if derived {
					view.DerivedText(a.out, w.Derived, devices, f.Families, w.Spec.Wants.Summarise, w.Basis)
				}
				table.Text(a.out, a.width, "", a.wide)
				if derived {
					names := make([]string, len(devices))
					for i, d := range devices {
						names[i] = w.Spec.Devices[d].Name
					}
					view.OpenText(a.out, w.Unprotected(), names, a.width)
					switch {
					case prices || len(names) == len(w.Spec.Devices) && len(w.Derived.Statics) <= fewLines && len(without) == 0:
						view.PricesText(a.out, w.Derived, derive.Prices(w.Spec), a.width)
					case len(without) == 0:
						fmt.Fprintln(a.out, "what each level of protection costs: "+a.self()+" show routes --prices")
					}
				}
			}}, nil
		})
	cmd.Flags().StringVar(&covering, "covering", "", "only routes that match `ADDRESS`, longest first, and which decides")
	cmd.Flags().StringSliceVar(&f.Sources, "type", nil, "only routes of `TYPE`, repeatable: "+strings.Join(routeSources, ", "))
	cmd.Flags().BoolVar(&prices, "prices", false, "only derived routes, and what each level of protection costs in lines and watches")
	cmd.Flags().BoolVar(&derived, "derived", false, "only derived routes, how many summarising saves, and what protection costs")
	cmd.Flags().BoolVar(&f.Standby, "standby", false, "only routes that stand by or cannot be used")
	a.must(cmd.RegisterFlagCompletionFunc("type", cobra.FixedCompletions(routeSources, cobra.ShellCompDirectiveNoFileComp)))
	a.familyFlags(cmd)
	a.withoutFlag(cmd, &without)
	a.withFlag(cmd)
	a.listFlags(cmd)
	return cmd
}

// fewLines is how many derived routes a network has at most for which it takes no time
// to price each level of protection.
const fewLines = 500

// routeFilter fills in what the options say of which routes to list.
func (a *app) routeFilter(f *view.RouteFilter, covering string) error {
	families, err := a.families()
	if err != nil {
		return err
	}
	f.Families, f.Wide = families, a.wide
	if covering != "" {
		if f.Covering, err = prefix.ParseAddress(covering); err != nil {
			return err
		}
	}
	for _, s := range f.Sources {
		if !slices.Contains(routeSources, s) {
			return fmt.Errorf("--type is %s, not %s", strings.Join(routeSources, ", "), s)
		}
	}
	return nil
}

// routeSources are the words for where a route is from.
var routeSources = []string{"local", "direct", "static", "derived", "learned"}

// blocks is the one 'show' command that is not of devices.
func (a *app) blocks() *cobra.Command {
	cmd := a.shownOf("blocks [BLOCK…]", "block", "The blocks within one another, and the room left in each", a.completeBlocks,
		func(names []string) (answer, error) {
			w, err := a.numbers()
			if err != nil {
				return answer{}, err
			}
			for _, name := range names {
				if err := w.HasBlock(name); err != nil {
					return answer{}, err
				}
			}
			data, table := view.Blocks(w.Spec, names)
			data, table = view.Matching(data, table, a.match)
			return answer{data, table, func() {
				if len(names) > 0 || !view.Nested(data) {
					view.BlocksText(a.out, data, table.Empty, a.width)
					return
				}
				view.BlockTree(a.out, data, table.Empty, a.self()+" show blocks", a.width, a.wide)
			}}, nil
		})
	a.matchFlag(cmd)
	return cmd
}

// devicesNamed is the devices named, or all.
// rowsMeant are the devices that a list is of. One operand may be a segment, a VLAN, an address
// or subnet, or an interface of a device that is named: of those with it the rows are shown.
func (a *app) rowsMeant(w ask.Who, names []string) ([]model.DeviceID, error) {
	var devices []string
	for _, name := range names {
		match := ""
		device, port, isPort := strings.Cut(name, ":")
		_, notDevice := w.Device(name)
		d, noDevice := w.Device(device)
		switch {
		case notDevice == nil:
		case isPort && noDevice == nil:
			if _, ok := w.Spec.InterfaceNamed(d, port); ok {
				devices, match = append(devices, device), port
			}
		case slices.ContainsFunc(w.Spec.Segments, func(s model.Segment) bool { return s.Name == name }), isNumber(name):
			match = name
		case slices.ContainsFunc(devices, func(of string) bool {
			d, err := w.Device(of)
			_, ok := w.Spec.InterfaceNamed(d, name)
			return err == nil && ok
		}):
			match = name
		}
		switch {
		case match == "":
			devices = append(devices, name)
		case a.match != "":
			return nil, fmt.Errorf("rows are shown with one thing in them: %s or %s", a.match, match)
		default:
			a.match = match
		}
	}
	return devicesNamed(w, devices)
}

// isNumber tells whether a word is a VLAN's number, an address or a subnet.
func isNumber(word string) bool {
	if _, err := strconv.ParseUint(word, 10, 12); err == nil {
		return true
	}
	_, _, err := prefix.Parse(word)
	return err == nil
}

func devicesNamed(w ask.Who, names []string) ([]model.DeviceID, error) {
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
