package form_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/form"
	"ropeswing/core/observed"
)

// changed is a device with some of what is set on it set otherwise.
func changed(d *observed.Device, r *rand.Rand) *observed.Device {
	c := d.Clone()
	for range 1 + r.IntN(4) {
		i := &c.Interfaces[r.IntN(len(c.Interfaces))]
		switch r.IntN(7) {
		case 0:
			i.Description = []string{"", "other", "lan0"}[r.IntN(3)]
		case 1:
			i.Admin = []observed.Status{observed.Up, observed.Down}[r.IntN(2)]
		case 2:
			i.MTU = []int{0, 1400, 9000}[r.IntN(3)]
		case 3:
			if i.Untagged != nil {
				v := []int{0, 7, 8}[r.IntN(3)]
				i.Untagged = &v
			}
		case 4:
			if len(i.Tagged) > 0 {
				i.Tagged = i.Tagged[1:]
			}
		case 5:
			if len(i.Addresses) > 1 {
				i.Addresses = i.Addresses[:len(i.Addresses)-1]
			}
		case 6:
			if n := r.IntN(len(c.Routes)); len(c.Routes) > 1 && !c.Routes[n].Discard {
				two := 2
				c.Routes[n].Distance = &two
			}
		}
	}
	return c
}

// What is typed to change a device makes it so, and typed back it is as it was: on a console of each kind, from random changes. No line is
// one that the console does not know.
func TestWhatIsTypedMakesTheDeviceSo(t *testing.T) {
	flat := parsed(t, "# flat, form 1\nremove: cut {line}\nrig = {device}\nlane/{vlan} = {vlan-name}\nhole/{interface}/power = {admin: up "+
		"= 1 | down = 0}\nhole/{interface}/remark = '{note}'\nhole/{interface}/fill = {mtu}\nhole/{interface}/lane = {untagged}\n"+
		"hole/{interface}/lanes += {tagged-vlan}\nhole/{interface}/{secondary: no = main | yes = extra}/{address} = {length}\n"+
		"way/{destination}~{length}/{next-hop}@{distance}\nway/{destination}~{length}/pit  {discard is yes}\n")
	blocks := parsed(t, "# harbour lamp bus, form 1\nremove: not {line}\nleave: back\n"+lampForm[len("# harbour lamp bus, form 1\n"):])
	braces := parsed(t, "# b, form 1\nremove: no {line}\nberth {interface} {\n  legend \"{note}\";\n  asleep;  {admin is down}\n  girth "+
		"{mtu};\n  bare {untagged};\n  ringed \\[ {tagged with \" \"} \\];\n  at {address}/{length}{secondary: no = \"\" | yes = \" "+
		"spare\"};\n}\nchart {destination}/{length} sink;  {discard is yes}\nchart {destination}/{length} via {next-hop} weight {distance};\n")
	r := rand.New(rand.NewPCG(7, 37))
	typed := 0
	for seed := range uint64(12) {
		for _, x := range examples(t, randomPlan(seed)) {
			for _, f := range []*form.Form{flat, blocks, braces} {
				before, after := x.d, changed(x.d, r)
				for range 2 { // there and back
					lines, err := f.Typed(form.Of(before, x.names), form.Of(after, x.names))
					if err == form.ErrNoLine {
						assert.Equal(t, f.Write(form.Of(before, x.names)), f.Write(form.Of(after, x.names)))
						break
					}
					require.NoError(t, err)
					c := f.Console(form.Of(before, x.names))
					for _, l := range lines {
						require.NoError(t, c.Type(l), "%s: %q of %q", f.Name, l, lines)
						typed++
					}
					d, err := c.Device()
					require.NoError(t, err)
					assert.Equal(t, multiset(f.Write(form.Of(after, x.names))), multiset(f.Write(form.Of(d, x.names))), "%s: %q", f.Name, lines)
					before, after = after, before
				}
			}
		}
	}
	assert.Greater(t, typed, 500)
}
