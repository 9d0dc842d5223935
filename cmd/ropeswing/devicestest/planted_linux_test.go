package devicestest

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// planted are faults that are made in a real network: in which namespace, how, how they
// are undone, and what a line of the comparison says of the device.
var planted = []struct{ device, plant, undo, want string }{
	{"r2", "addr del 10.77.2.1/24 dev eth1; addr add 10.77.1.2/24 dev eth1", "addr del 10.77.1.2/24 dev eth1",
		"address,eth1,different,10.77.2.1/24,10.77.1.2/24,digits swapped"},
	{"r1", "addr del 10.77.1.1/24 dev eth0; addr add 10.77.1.1/16 dev eth0", "addr del 10.77.1.1/16 dev eth0",
		"address,eth0,different,10.77.1.1/24,10.77.1.1/16,mask /16 for /24"},
	{"lamp", "addr del 10.77.2.10/24 dev eth0; addr add 10.77.2.11/24 dev eth0", "addr del 10.77.2.11/24 dev eth0",
		"address,eth0,different,10.77.2.10/24,10.77.2.11/24,one digit off"},
	{"lamp", "addr del 10.77.2.10/24 dev eth0; addr add 10.77.2.255/24 dev eth0", "addr del 10.77.2.255/24 dev eth0",
		"address,eth0,different,10.77.2.10/24,10.77.2.255/24,the broadcast address"},
	{"laptop", "addr del 10.77.1.10/24 dev eth0; addr add 10.77.1.77/24 dev eth0", "addr del 10.77.1.77/24 dev eth0",
		"address,eth0,different,10.77.1.10/24,10.77.1.77/24,another address of the subnet"},
	{"r1", "addr del 2001:db8:77:1::1/64 dev eth0", "", "address,eth0,missing,2001:db8:77:1::1/64"},
	{"r2", "addr add 10.99.0.1/24 dev eth0", "addr del 10.99.0.1/24 dev eth0", "address,eth0,extra,,10.99.0.1/24"},
	{"r2", "addr add 10.77.1.1/24 dev eth1", "addr del 10.77.1.1/24 dev eth1", "address,eth1,extra,,10.77.1.1/24,it is planned for r1:eth0"},
	{"r2", "addr del 10.77.2.1/24 dev eth1; addr add 10.77.2.1/24 dev eth0", "addr del 10.77.2.1/24 dev eth0",
		`address,eth1,different,10.77.2.1/24,10.77.2.1/24 on eth0,"the address is on eth0, planned on eth1"`},
	{"lamp", "addr del 2001:db8:77:2::a/64 dev eth0; addr add 2001:db8:77:2::a/48 dev eth0 nodad", "addr del 2001:db8:77:2::a/48 dev eth0",
		"address,eth0,different,2001:db8:77:2::a/64,2001:db8:77:2::a/48,mask /48 for /64"},
	{"r1", "link set eth1 down", "", "admin status,eth1,different,up,down,administratively down"},
	{"lamp", "link set eth0 down", "", "admin status,eth0,different,up,down,administratively down"},
	{"r2", "link add spare0 type veth peer name spare1; link set spare0 up; addr add 10.98.0.1/24 dev spare0", "link del spare0",
		"interface,spare0,extra,,it is not in the plan"},
	{"r1", "link set eth1 mtu 1400", "link set eth1 mtu 1500", "mtu,eth1,different,1500,1400"},
	{"r2", "route del 10.77.1.0/24", "", "route,10.77.1.0/24,missing,via 10.77.0.1 (r1:eth1)"},
	{"r1", "route add 192.0.2.0/24 via 10.77.0.2", "", "route,192.0.2.0/24,extra,,via 10.77.0.2 (r2:eth0)"},
	{"r1", "route replace default via 10.77.1.10",
		"", "next hop,0.0.0.0/0,different,via 10.77.0.2 (r2:eth0),via 10.77.1.10 (laptop:eth0),the next hop points back"},
	{"laptop", "route replace default via 10.77.1.2", "", "next hop,0.0.0.0/0,different,via 10.77.1.1 (r1:eth0),via 10.77.1.2,one digit off"},
	{"lamp", "route replace default via 10.72.7.1 dev eth0 onlink", "",
		"next hop,0.0.0.0/0,different,via 10.77.2.1 (r2:eth1),via 10.72.7.1,digits swapped"},
	{"r2", "route replace blackhole 10.77.1.0/24", "", "next hop,10.77.1.0/24,different,via 10.77.0.1 (r1:eth1),discard"},
	{"r2", "route del 10.77.1.0/24; route add 10.77.1.0/25 via 10.77.0.1", "", "route,10.77.1.0/25,extra,,via 10.77.0.1 (r1:eth1)"},
	{"r1", "-6 route del default", "", "route,::/0,missing,via 2001:db8:77::2 (r2:eth0)"},
}

// Twenty faults planted in a network of namespaces are found by name, by what its kernels
// tell by netlink and by their own lists; and nothing is once they are undone.
func TestFaultsPlantedInARealNetworkAreFound(t *testing.T) {
	t.Parallel()
	require.GreaterOrEqual(t, len(planted), 20)
	ip, in := hall(t)
	dir := t.TempDir()
	write(t, dir, "hall.plan.yaml", strings.ReplaceAll(hallPlan, "{segment: hall, address: first}",
		"{segment: hall, address: first, mtu: 1500}"))
	spaces := map[string]string{"laptop": "laptop", "r1": "one", "r2": "two", "lamp": "lamp"}
	observe := func() {
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "told")))
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "listed")))
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "lists")))
		require.NoError(t, os.Mkdir(filepath.Join(dir, "lists"), 0o755))
		for device, ns := range spaces {
			r := in(ns, dir, program, "observe", "--here", "--device", device, "-w", "told")
			require.Equal(t, 0, r.Code, r.Err)
			for name, args := range map[string][]string{"addr": {"addr"}, "route4": {"-4", "route"}, "route6": {"-6", "route"}} {
				list := in(ns, dir, append([]string{"ip", "-j"}, args...)...)
				if strings.TrimSpace(list.Out) != "[]" && strings.TrimSpace(list.Out) != "[ ]" {
					write(t, filepath.Join(dir, "lists"), device+"."+name+".json", list.Out)
				}
			}
		}
		r := run(t, dir, "observe", "lists", "-w", "listed")
		require.Equal(t, 0, r.Code, r.Err)
	}
	sound := func(about string) {
		observe()
		for _, state := range []string{"told", "listed"} {
			r := run(t, dir, "compare", state)
			require.Equal(t, 0, r.Code, "%s, %s: %s", about, state, r.Out)
		}
	}
	sound("as it was made")
	for _, x := range planted {
		apply := func(lines string) {
			for _, line := range strings.Split(lines, "; ") {
				if line != "" {
					ip("-n @" + spaces[x.device] + " " + line)
				}
			}
		}
		apply(x.plant)
		observe()
		for _, state := range []string{"told", "listed"} {
			r := run(t, dir, "compare", state, "-o", "csv")
			assert.Equal(t, 1, r.Code, x.want)
			found := ""
			for line := range strings.Lines(r.Out) {
				if strings.HasPrefix(line, x.device+","+x.want) {
					found = line
				}
			}
			assert.NotEmpty(t, found, "%s of %s: %s\n%s", x.want, x.device, state, r.Out)
		}
		apply(x.undo)
		for _, line := range hallAddressing() {
			ip(line)
		}
	}
	sound("when all is undone")
}
