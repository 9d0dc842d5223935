package changetest

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Sixty rows as people keep them, forty devices and their cables become a plan in which all reach each other, by one command.
func TestASpreadsheetComesIn(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var nets, devices, cables strings.Builder
	nets.WriteString("\ufeff# our networks\nLocation;VLAN ID;Network;Netmask;Default gateway;Purpose;Owner;Remarks\n")
	devices.WriteString("Hostname\tMgmt IP\tRole\tBuilding\tSerial No\tDescription\n")
	cables.WriteString("A device,A port,B device,B port,Label\n")
	for site := range 10 {
		for n := range 6 {
			location := fmt.Sprintf("Pier %d", site)
			if n > 0 {
				location = "" // as above
			}
			network, gateway := fmt.Sprintf("10.%d.%d.0", site, n), fmt.Sprintf("10.%d.%d.1", site, n)
			mask := "255.255.255.0"
			switch {
			case n == 1:
				network = fmt.Sprintf("010.%03d.%03d.000", site, n) // leading zeros
			case n == 2:
				network += "/24" // with its length
				mask = ""
			case n == 3:
				network = fmt.Sprintf("10.%d.%d.77", site, n) // an address of it
				mask = "/24"
			case n == 4:
				gateway = ""
			}
			fmt.Fprintf(&nets, "%s;%d;%s;%s;%s;%s;ops;\"a; \"\"b\"\"\"\n", location, 10+n, network, mask, gateway,
				[]string{"Office", "Guest WiFi", "Voice / Phones", "Cameras", "Printers", "Mgmt"}[n])
		}
		r, s, h := fmt.Sprintf("P%d-RTR", site), fmt.Sprintf("P%d-SW", site), fmt.Sprintf("P%d till", site)
		fmt.Fprintf(&devices, "%s\t10.%d.5.1\tRouter\tPier %d\tR%d\t\n", r, site, site, site)
		fmt.Fprintf(&devices, "%s\t10.%d.5.2/24\t\t\tS%d\tin the cellar\n", s, site, site)
		fmt.Fprintf(&devices, "%s\t10.%d.0.20\tCash register\t\t\t\n", h, site)
		fmt.Fprintf(&devices, "P%d-cam\t10.%d.003.30\tCamera\t\t\t\n", site, site)
		fmt.Fprintf(&cables, "%s,ge 0/1,%s,48,\n%s,eth0,%s,1,\n%s,2,P%d-cam,,\n", r, s, h, s, s, site)
		if site > 0 {
			fmt.Fprintf(&cables, "P0-RTR,wan%d,%s,wan0,line %d\n", site, r, site)
		}
	}
	write(t, dir, "nets.csv", nets.String())
	write(t, dir, "devices.tsv", devices.String())
	write(t, dir, "cables.csv", cables.String())
	r := run(t, dir, "new", "piers", "--from", "nets.csv", "--devices", "devices.tsv", "--cables", "cables.csv", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	for _, told := range []string{"nets.csv: columns are parted by semicolons", "nets.csv: the column 'Owner' is not used",
		"nets.csv: 50 blank cells of the column 'Location' are as the row above has it",
		"nets.csv: line 4: 010.000.001.000 is taken for 10.0.1.0",
		"devices.tsv: columns are parted by tabs", "devices.tsv: the column 'Building' is taken for the site",
		"devices.tsv: line 4: 'P0 till' is called p0-till", "devices.tsv: line 5: 10.0.003.30 is taken for 10.0.3.30",
		"cables.csv: line 2: the port 'ge 0/1' is called ge-0/1", "cables.csv: line 8: 'line 1' is called line-1"} {
		assert.Contains(t, r.Err, told)
	}
	plan := read(t, dir, "piers.plan.yaml")
	for _, line := range []string{"  P0-SW:   # guessed: by its name\n    is: switch\n    note: \"in the cellar, serial S0\"\n",
		"      ge-0/1.10: {parent: ge-0/1, segment: pier-0-Office, address: 10.0.0.1}   # guessed: the router of the site\n",
		"      \"48\": {tagged: [pier-0-Office, pier-0-guest-wifi, pier-0-voice-phones, pier-0-Cameras, pier-0-Printers, pier-0-Mgmt]}   # " +
			"guessed",
		"  p0-till: {is: host, at: \"P0-SW:1\", address: 10.0.0.20}   # guessed: 'Cash register' is no kind that is known, nothing says " +
			"what it is\n",
		"  - line-1: P0-RTR:wan1 to P1-RTR:wan0\n"} {
		assert.True(t, strings.Contains(plan, line), line)
	}
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	assert.Contains(t, run(t, dir, "check").Out, "piers: nothing wrong")
	assert.Contains(t, run(t, dir, "reach").Out, " between 60 LANs and 10 loopbacks work")
	assert.Contains(t, run(t, dir, "ping", "p0-till", "P9-cam").Out, "p0-till reaches P9-cam in IPv4")
}

// What cannot be used in an inventory or a table of cables is told all at once, by row and column; nothing is made of it.
func TestWhatCannotComeInIsTold(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "nets.csv", "name,prefix\nlan,10.1.0.0/24\n")
	write(t, dir, "good.csv", "name,address,kind\nr1,10.1.0.1,router\npc,10.1.0.9,pc\npc2,10.1.0.9,pc\nlan,10.1.0.7/25,pc\nfar,10.9.0.1,pc\n")
	new := func(args ...string) (string, int) {
		r := run(t, dir, append([]string{"new", "x", "--from", "nets.csv"}, args...)...)
		return r.Err + r.Out, r.Code
	}
	text, code := new("--devices", "good.csv")
	assert.Equal(t, 0, code, text)
	for _, told := range []string{"good.csv: line 4: 10.1.0.9 is of pc already, and is left out of pc2",
		"lan is the name of a segment or site too: the device is called lan-device", "10.9.0.1 of far lies in no segment of the sheet",
		"# 10.1.0.9 is of pc too: left out here", "# the table says /25, and lan has 10.1.0.0/24",
		"# 10.9.0.1 lies in no segment of the sheet"} {
		assert.Contains(t, text, told)
	}
	for table, messages := range map[string][]string{
		"name,address\na,10.1.0.0\na,10.1.0.2\n,10.1.0.3\nb,10.1\n": {"t.csv:2:3: 10.1.0.0 is no machine's address in 10.1.0.0/24",
			"t.csv:3:1: the device a stands on line 2 already", "t.csv:4:1: a device needs a name", "t.csv:5:3: ",
			"4 cells of t.csv cannot be used"},
		"what,ever\n1,2\n": {"no column is called name, device or hostname"},
	} {
		write(t, dir, "t.csv", table)
		text, code := new("--devices", "t.csv")
		assert.Equal(t, 2, code)
		for _, m := range messages {
			assert.Contains(t, text, m)
		}
	}
	for table, message := range map[string]string{
		"from,to\nr1 p1,nobody p\n":     "t.csv:2:7: the inventory has no device called nobody",
		"from,to\nr1,pc eth\n":          "t.csv:2:1: 'r1' is no device and port, such as 'quay-sw1 p7'",
		"from,to\nr1 p,pc e\npc e,r1 q": "t.csv:3:1: pc:e is plugged in on line 2 already",
		"from,what\nr1 p1,2\n":          "no column is called to, nor to device",
	} {
		write(t, dir, "t.csv", table)
		text, code := new("--devices", "good.csv", "--cables", "t.csv")
		assert.Equal(t, 2, code)
		assert.Contains(t, text, message)
	}
	assert.Contains(t, run(t, dir, "new", "x", "--cables", "t.csv").Err, "name it with --devices")
	assert.Contains(t, run(t, dir, "new", "x", "--devices", "t.csv").Err, "name it with --from")
}
