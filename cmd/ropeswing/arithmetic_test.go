package main

import (
	"encoding/json"
	"io"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSubnetAnswersMore(t *testing.T) {
	t.Parallel()
	for line, want := range map[string]string{
		"subnet 10.48.1.0/26 --nth 10":                              "10.48.1.10\n",
		"subnet 10.48.1.0/26 --nth -2":                              "10.48.1.61\n",
		"subnet 10.48.1.0/30 --list":                                "10.48.1.1\n10.48.1.2\n",
		"subnet 2001:db8:1:2::/64 --mac 34:56:78:9a:bc:de":          "2001:db8:1:2:3656:78ff:fe9a:bcde  in 2001:db8:1:2::/64\nfe80::3656:78ff:fe9a:bcde  link-local\n",
		"subnet 10.48.0.0/22 --only reverse_zones":                  "0.48.10.in-addr.arpa\n1.48.10.in-addr.arpa\n2.48.10.in-addr.arpa\n3.48.10.in-addr.arpa\n",
		"subnet 2001:db8::1:800:200e:8c6c/64 --only solicited_node": "ff02::1:ff0e:8c6c\n",
		"merge 10.48.0.0/24 10.48.1.0/24":                           "10.48.0.0/23\n",
		"merge --one 10.48.1.0/26 10.48.1.128/26":                   "10.48.1.0/24\ntakes in besides: 10.48.1.64/26, 10.48.1.192/26\n",
		"merge --one 10.48.1.0/26 10.48.1.64/26":                    "10.48.1.0/25\ntakes in nothing besides\n",
		"split 10.48.0.0/22 --len 24":                               "10.48.0.0/24\n10.48.1.0/24\n10.48.2.0/24\n10.48.3.0/24\n",
		"split 10.48.0.0/22 --into 3":                               "10.48.0.0/24\n10.48.1.0/24\n10.48.2.0/24\n10.48.3.0/24\n",
		"split 10.48.0.0/24 --hosts 100":                            "10.48.0.0/25\n10.48.0.128/25\n",
		"split 10.48.0.0/24 --len 25 -o csv":                        "prefix,first,last\n10.48.0.0/25,10.48.0.1,10.48.0.126\n10.48.0.128/25,10.48.0.129,10.48.0.254\n",
		"beside 10.48.1.98/28 --avoid 10.48.1.99 --only address":    "10.48.1.100\n",
	} {
		r := run(t, t.TempDir(), strings.Fields(line)...)
		assert.Equal(t, 0, r.Code, "%s: %s", line, r.Err)
		assert.Equal(t, want, r.Out, line)
	}
}

func TestSeveralSubnetsAreRelated(t *testing.T) {
	t.Parallel()
	r := run(t, t.TempDir(), "subnet", "10.48.0.0/22", "10.48.1.77/26", "10.48.4.0/22")
	assert.True(t, strings.HasPrefix(r.Out,
		"10.48.0.0/22 contains 10.48.1.64/26\n10.48.0.0/22 and 10.48.4.0/22 are adjacent, and merge into 10.48.0.0/21\n10.48.1.64/26 and "+
			"10.48.4.0/22 are apart\n"), r.Out)
}

func TestStandardInput(t *testing.T) {
	t.Parallel()
	lines := "# our subnets\n10.48.0.0/24   # desks\n\n  \"10.48.1.0 255.255.255.0\",\n10.48.2.9/23\n"
	r := runIn(t, lines, "merge", "-")
	assert.Equal(t, "10.48.0.0/22\n", r.Out)
	assert.Contains(t, r.Err, "1 address had host bits")
	assert.Equal(t, "10.48.0.0/22\n", runIn(t, lines, "merge").Out, "without arguments too")
	r = runIn(t, "10.48.0.0/24\n10.48.300.0/24\n", "merge", "-")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "standard input:2:")
	r = runIn(t, "10.48.1.77 255.255.255.224\n2001:db8::1/64\n", "subnet", "-", "--only", "prefix")
	assert.Equal(t, "10.48.1.64/27\n2001:db8::/64\n", r.Out)
}

func TestSplitStreams(t *testing.T) {
	t.Parallel()
	cmd := exec.Command(program, "split", "::/0", "--len", "128")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	head := make([]byte, 16)
	_, err = io.ReadFull(out, head)
	require.NoError(t, err)
	assert.Equal(t, "::/128\n::1/128\n:", string(head), "it prints at once, though it would never end")
	require.NoError(t, cmd.Process.Kill())
	cmd.Wait()

	var rows []struct{ Prefix, First, Last string }
	require.NoError(t, json.Unmarshal([]byte(run(t, t.TempDir(), "split", "10.48.0.0/22", "--len", "23", "-o", "json").Out), &rows))
	assert.Len(t, rows, 2)
	assert.Equal(t, "10.48.3.254", rows[1].Last)
}

func TestFitFromArgumentsAndFiles(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := run(t, dir, "fit", "10.48.0.0/23", "desks:42", "servers:12", "guests:100", "beam:/31")
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "4 needs into 10.48.0.0/23: all fitted, and 41.0 % of it is in use", first(r.Out)) // 128 + 64 + 16 + 2 of 512
	assert.Contains(t, r.Out, "free: 10.48.0.210/31")

	write(t, dir, "needs.csv", "\ufeffHosts,note,Name\n42,\"the office, upstairs\",desks\n12,,servers\n")
	r = run(t, dir, "fit", "10.48.0.0/24", "--needs", "needs.csv", "--grow", "50%", "-o", "csv")
	assert.Equal(t, "site,name,need,prefix,mask,first,last,broadcast,next,usable,spare\n"+
		",desks,63,10.48.0.0/25,255.255.255.128,10.48.0.1,10.48.0.126,10.48.0.127,10.48.0.128/25,126,63\n"+ // 42 and half of it
		",servers,18,10.48.0.128/27,255.255.255.224,10.48.0.129,10.48.0.158,10.48.0.159,10.48.0.160/27,30,12\n", r.Out)

	r = run(t, dir, "fit", "10.48.0.0/24", "small:2", "large:100", "--keep-order", "--used", "10.48.0.0/28", "--only", "subnets")
	assert.Contains(t, r.Out, `"prefix":"10.48.0.16/30"`)

	r = run(t, dir, "fit", "2001:db8:5ea::/48", "annex:/57", "--nibbles", "-o", "json")
	assert.Contains(t, r.Out, `"prefix": "2001:db8:5ea::/56"`)
}

// A site's needs lie in a block of its own: 62 hosts are a /26 and 12 a /28, so a /25.
func TestFitBySite(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "needs.csv", "site,name,hosts\nlock,office,20\nweir,office,62\nweir,cams,12\n,spine,/31\n")
	r := run(t, dir, "fit", "10.30.0.0/22", "--needs", "needs.csv", "--explain")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Equal(t, "4 needs of 2 sites into 10.30.0.0/22: all fitted, and 11.1 % of it is in use", first(r.Out)) // 64 + 16 + 32 + 2 of 1024
	assert.Contains(t, r.Out, "weir 10.30.0.0/25, free: 10.30.0.80/28, 10.30.0.96/27\n")
	assert.Contains(t, r.Out, "lock 10.30.0.128/27\n")
	text := oneLine(r.Out)
	assert.Contains(t, text, "no address is left for a router in office: a plan counts it on top of the hosts, and so does --own 1")
	assert.Contains(t, text, "weir office: 62 hosts: 62 addresses; length 26 has 62 usable, length 27 only 30; number 1 to be placed, at "+
		"the start of the free stretch 10.30.0.0/25")
	assert.Contains(t, oneLine(run(t, dir, "fit", "10.30.0.0/22", "--needs", "needs.csv", "--own", "1").Out), "office 63 10.30.0.0/25",
		"as a plan with a router counts")

	write(t, dir, "twice.csv", "site,name,hosts\nlock,office,20\nlock,office,62\n")
	assert.Contains(t, run(t, dir, "fit", "10.30.0.0/22", "--needs", "twice.csv").Err, "twice.csv:3:6: office stands twice")

	r = run(t, dir, "new", "mill", "--block", "10.30.0.0/22", "--from", "needs.csv", "--bare", "-w")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, read(t, dir, "mill.plan.yaml"), "  weir-office: {hosts: 62, from: weir}\n")
	assert.Contains(t, read(t, dir, "mill.plan.yaml"), "  spine:       {length: 31, from: home}\n")
	assigned := oneLine(run(t, dir, "assign").Out)
	assert.Contains(t, assigned, "new block weir 10.30.0.0/25")
	assert.Contains(t, assigned, "new subnet lock-office 10.30.0.128/27")
	assert.Contains(t, run(t, dir, "new", "other", "--from", "needs.csv").Err, "name it with --block")
}

func TestFitThatDoesNotFit(t *testing.T) {
	t.Parallel()
	r := run(t, t.TempDir(), "fit", "10.48.0.0/24", "a:200", "b:100")
	assert.Equal(t, 1, r.Code)
	assert.Equal(t, "2 needs into 10.48.0.0/24: they do not fit", first(r.Out))
	assert.Contains(t, strings.Join(strings.Fields(r.Out), " "),
		"b, which wants a subnet of length 25, finds no place; in all 128 addresses are missing")
	r = run(t, t.TempDir(), "fit", "10.48.0.0/24", "a:200", "b:100", "-o", "json")
	assert.Equal(t, 1, r.Code)
	var v struct {
		Fits    bool
		First   string `json:"first_unfit"`
		Missing string
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	assert.False(t, v.Fits)
	assert.Equal(t, "b", v.First)
	assert.Equal(t, "128", v.Missing)
}

func TestBeside(t *testing.T) {
	t.Parallel()
	r := run(t, t.TempDir(), "beside", "192.168.200.1/24", "--now", "10.48.1.106/28,10.48.1.97")
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "set      192.168.200.2/24, mask 255.255.255.0\ngateway  none: the box is on the same link\nthen     ping "+
		"192.168.200.1\nafter    put back 10.48.1.106/28, gateway 10.48.1.97\n", r.Out)
	r = run(t, t.TempDir(), "beside", "192.168.200.1/24", "--now", "192.168.200.77/24")
	assert.Contains(t, r.Out, "nothing to change: 192.168.200.77/24 is in the box's subnet already")
	r = run(t, t.TempDir(), "beside", "192.168.200.2/30", "--avoid", "192.168.200.1")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "no other address free")
	assert.Contains(t, run(t, t.TempDir(), "beside", "192.168.200.1/24", "--now", "DHCP").Out, "put back: address by DHCP")
	for now, want := range map[string]string{"10.48.1.111/28": "no machine's address", "10.48.1.106/28,10.48.2.1": "is not in its subnet",
		"10.48.1.106/28,10.48.1.106": "is its own address", "10.48.1.106": "no prefix length"} {
		r = run(t, t.TempDir(), "beside", "192.168.200.1/24", "--now", now)
		assert.Equal(t, 2, r.Code, now)
		assert.Contains(t, r.Err, want, now)
	}

	// A box that is to become a device of the plan: what to give it, and the laptop then.
	dir := lights(t)
	out := oneLine(run(t, dir, "beside", "192.168.200.1/24", "quay-sw1").Out)
	assert.Contains(t, out, "give it 10.48.1.98/28, mask 255.255.255.240, gateway 10.48.1.97: it is quay-sw1 then set 10.48.1.99/28: the "+
		"laptop, to see it there then ping 10.48.1.98")
	assert.Equal(t, "10.48.1.101\n", run(t, dir, "beside", "10.48.1.100/28", "--only", "address").Out, "what nobody of the plan has")
	assert.Equal(t, "10.48.1.94\n", run(t, dir, "beside", "10.48.1.92/28", "--only", "address").Out, "nor hosts lease")
	assert.Contains(t, run(t, dir, "beside", "192.168.200.1/24", "--now", "10.48.1.10/26").Out, "10.48.1.10 is desk-7:port in the plan")
	assert.NotContains(t, run(t, dir, "beside", "192.168.200.1/24", "--now", "10.48.1.106/28").Out, "in the plan", "the operator's own")
	assert.Contains(t, run(t, dir, "beside", "quay-sw9").Err, "did you mean")
}

func TestArithmeticSlips(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "bad.csv", "name,size\nx,1\n")
	write(t, dir, "short.csv", "name,note,hosts\nx\n")
	write(t, dir, "word.csv", "name,hosts\nx,many\n")
	write(t, dir, "empty.csv", "")
	for line, says := range map[string]string{
		"split 10.48.0.0/24":                          "one of --into N, --len LENGTH, --hosts H",
		"split 10.48.0.0/24 --into 2 --len 25":        "one of --into N",
		"split 10.48.0.0/24 --into 0":                 "from 1 on, not 0",
		"split 10.48.0.0/24 --into 300":               "has 256 addresses, and cannot be split into 300 parts",
		"split 10.48.0.0/24 --hosts 300":              "has 254 usable addresses, fewer than 300",
		"split 10.48.0.0/24 --len 23":                 "lengths from 24 to 32, not 23",
		"split --len 25":                              "name one: ropeswing split",
		"split 10.48.0.0/24 --len 25 --only x":        "there is prefix",
		"merge --one 10.0.0.0/8 2001:db8::/32":        "both IPv4 and IPv6",
		"fit":                                         "name the block",
		"fit 10.48.0.0/24":                            "nothing to fit",
		"fit 10.48.0.0/24 desks":                      "write NAME:HOSTS, NAME:/LENGTH or HOSTS",
		"fit 10.48.0.0/24 desks:0":                    "from 1 on, not 0",
		"fit 10.48.0.0/24 desks:/23":                  "lengths in 10.48.0.0/24 are from 24 to 32",
		"fit 10.48.0.0/24 desks:4 desks:5":            "stands twice",
		"fit 10.48.0.0/24 desks:4 --grow half":        "a percentage such as 50%",
		"fit 10.48.0.0/24 --needs missing.csv":        "cannot read missing.csv",
		"fit 10.48.0.0/24 --needs bad.csv":            "bad.csv:1: the header has name, size, and no columns called name and hosts",
		"fit 10.48.0.0/24 --needs short.csv":          "short.csv:2: the row has 1 of the header's 3 fields",
		"fit 10.48.0.0/24 --needs word.csv":           "word.csv:2:3: the hosts of x is a whole number",
		"fit 10.48.0.0/24 --needs empty.csv":          "there is no header",
		"beside 10.48.1.64/26":                        "is no machine's address in its subnet",
		"beside":                                      "name one: ropeswing beside",
		"beside 10.48.1.98/28 --now 10.48.1.1":        "has no prefix length",
		"subnet 10.48.1.0/26 --nth 0":                 "there is no 0th address",
		"subnet 10.48.1.0/26 --nth 63":                "has 62 usable addresses, and no number 63",
		"subnet 10.48.1.0/26 --mac 02:00:5e:10:00:01": "wants an IPv6 subnet of length 64",
		"subnet 2001:db8::/64 --mac 02:00":            "not a MAC address",
	} {
		r := run(t, dir, strings.Fields(line)...)
		assert.Equal(t, 2, r.Code, line)
		assert.Contains(t, r.Err, says, line)
		assert.Empty(t, r.Out, line)
	}
}

// What a learner is told: what the places are worth that the mask cuts, which bits count the parts, what becomes one and what does not.
func TestArithmeticIsExplained(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for args, told := range map[string][]string{
		"subnet 10.48.1.77/27 --explain": {"The mask cuts the fourth octet. Its places are worth: worth 128 64 32 | 16 8 4 2 1",
			"address 0 1 0 | 0 1 1 0 1 = 77", "mask 1 1 1 | 0 0 0 0 0 = 224", "subnet 0 1 0 | 0 0 0 0 0 = 64", "So subnets lie 32 apart in it"},
		"subnet 10.48.17.1/20 --explain": {"The mask cuts the third octet.", "address 0 0 0 1 | 0 0 0 1 = 17",
			"So subnets lie 16 apart in it"},
		"subnet 2001:db8:5ea:b000::/54 --explain": {"mask ffff:ffff:ffff:f|c00:",
			"The cut goes through digit 14, which is 0: in bits 00|00. So subnets lie 4 apart in it."},
		"subnet 2001:db8:5ea::/52 --explain": {"The cut lies between two digits"},
		"split 10.48.0.0/20 --into 4 --explain": {"From /20 to /22 2 bits of the host part become the subnet's: 2^2 = 4 parts, of 2^10 = 1 " +
			"024 addresses each.",
			"00001010.00110000.000011|00.00000000 10.48.12.0/22", "The bits between 21 and 22 count the parts"},
		"merge 10.48.0.0/24 10.48.1.0/24 10.49.0.0/24 --explain": {"10.48.0.0/23 is 10.48.0.0/24 and 10.48.1.0/24: they agree in the first 23 bits",
			"10.49.0.0/24 stays: with 10.49.1.0/24 it would be 10.49.0.0/23, and that is not among them."},
		"beside 192.168.200.1/24 --explain": {"The first 24 bits of both must be the same",
			"the box 11000000.10101000.11001000.|00000001 192.168.200.1"},
	} {
		out := oneLine(run(t, dir, strings.Fields(args)...).Out)
		for _, text := range told {
			assert.Contains(t, out, text, args)
		}
	}
	for _, plain := range []string{"split 10.48.0.0/20 --into 4", "merge 10.48.0.0/24 10.48.1.0/24"} {
		assert.Equal(t, run(t, dir, append(strings.Fields(plain), "-o", "csv")...).Out,
			run(t, dir, append(strings.Fields(plain), "--explain", "-o", "csv")...).Out, "machines are told the parts alone")
	}
}
