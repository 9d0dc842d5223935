package view

import (
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/verify"
)

// Managed is how the operator comes to a device, in JSON.
type Managed struct {
	Device  string   `json:"device"`
	Address string   `json:"address,omitempty"` // where it is managed
	Answers []string `json:"answers"`           // the services it answers there
	By      string   `json:"by,omitempty"`      // the service by which the operator logs in, or would
	State   string   `json:"state"`             // reached, not reached, no login, no address, or no operator
	Why     string   `json:"why,omitempty"`     // why it is not reached
	Way     []string `json:"path,omitempty"`    // the devices from the operator to it
	// where the reply leaves by another interface than the session comes in by: DEVICE:INTERFACE
	Comes  string `json:"comes_in_by,omitempty"`
	Leaves string `json:"leaves_by,omitempty"` // and the one it leaves by
}

// Management is how each of the devices that has to be logged in to is reached.
func Management(net *forward.Network, all []verify.Managed, devices []model.DeviceID) ([]Managed, Table) {
	spec := net.Spec
	wanted := map[model.DeviceID]bool{}
	for _, d := range devices {
		wanted[d] = true
	}
	data := []Managed{}
	table := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "address", Title: "managed at"},
		{Key: "answers", Title: "answers"}, {Key: "by", Title: "by"}, {Key: "state", Title: "state"}, {Key: "path", Title: "path",
			IfRoom: true}, {Key: "why", Title: "why", Below: true}}, Empty: "there is nothing to manage"}
	for _, m := range all {
		if !wanted[m.Device] {
			continue
		}
		x := Managed{Device: spec.Devices[m.Device].Name, Address: address(m.Address), Answers: m.Answers, By: m.By, State: "reached"}
		switch {
		case !m.Address.IsValid():
			x.State = "no address"
		case m.By == "":
			x.State, x.Why = "no login", "it answers none of "+strings.Join(model.Logins, ", ")
		case m.Exchange == nil:
			x.State = "no operator"
		case m.Exchange.Verdict() != forward.Works:
			x.State = "not reached"
			if f, ok := m.Exchange.Failure(net); ok {
				x.Why = f.Words(net)
			}
		}
		note := x.Why
		if m.Exchange != nil && x.State == "reached" {
			if in, out, elsewhere := m.Exchange.Elsewhere(); elsewhere {
				x.Comes, x.Leaves = spec.Label(in), spec.Label(out)
				note = replyWords(x.Comes, x.Leaves)
			}
		}
		for _, d := range m.Way {
			x.Way = append(x.Way, spec.Devices[d].Name)
		}
		data = append(data, x)
		table.Rows = append(table.Rows, []string{x.Device, x.Address, strings.Join(x.Answers, ", "), x.By, x.State, strings.Join(x.Way, ", "),
			note})
	}
	return data, table
}
