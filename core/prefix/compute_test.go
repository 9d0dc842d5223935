package prefix

import (
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// of reads subnets separated by spaces.
func of(text string) []netip.Prefix {
	var all []netip.Prefix
	for _, w := range strings.Fields(text) {
		all = append(all, netip.MustParsePrefix(w))
	}
	return all
}

func words(all []netip.Prefix) string {
	var texts []string
	for _, p := range all {
		texts = append(texts, p.String())
	}
	return strings.Join(texts, " ")
}

func TestReverseZones(t *testing.T) {
	for in, want := range map[string]string{
		"10.48.1.0/24":          "1.48.10.in-addr.arpa",
		"10.48.0.0/16":          "48.10.in-addr.arpa",
		"10.0.0.0/8":            "10.in-addr.arpa",
		"0.0.0.0/0":             "in-addr.arpa",
		"10.48.0.0/22":          "0.48.10.in-addr.arpa 1.48.10.in-addr.arpa 2.48.10.in-addr.arpa 3.48.10.in-addr.arpa",
		"192.0.2.128/26":        "128/26.2.0.192.in-addr.arpa", // the example of RFC 2317 §4
		"192.0.2.77/32":         "77.2.0.192.in-addr.arpa",
		"2001:db8::/32":         "8.b.d.0.1.0.0.2.ip6.arpa",
		"2001:db8:5ea:110::/64": "0.1.1.0.a.e.5.0.8.b.d.0.1.0.0.2.ip6.arpa",
		"2001:db8::/31":         "8.b.d.0.1.0.0.2.ip6.arpa 9.b.d.0.1.0.0.2.ip6.arpa",
		"::/0":                  "ip6.arpa",
	} {
		assert.Equal(t, want, strings.Join(ReverseZones(netip.MustParsePrefix(in)), " "), in)
	}
	assert.Len(t, ReverseZones(netip.MustParsePrefix("10.0.0.0/9")), 128)
}

func TestIdentifiers(t *testing.T) {
	// RFC 4291 §2.7.1 gives 4037::01:800:200e:8c6c as its example.
	assert.Equal(t, "ff02::1:ff0e:8c6c", SolicitedNode(netip.MustParseAddr("4037::1:800:200e:8c6c")).String())
	// RFC 4291, appendix A: 34-56-78-9A-BC-DE becomes 36-56-78-FF-FE-9A-BC-DE.
	for _, mac := range []string{"34-56-78-9A-BC-DE", "34:56:78:9a:bc:de", "3456.789a.bcde", "3456789ABCDE"} {
		a, err := FromMAC(netip.MustParsePrefix("2001:db8:1:2::/64"), mac)
		require.NoError(t, err)
		assert.Equal(t, "2001:db8:1:2:3656:78ff:fe9a:bcde", a.String())
	}
	local, err := FromMAC(LinkLocal, "34:56:78:9a:bc:de")
	require.NoError(t, err)
	assert.Equal(t, "fe80::3656:78ff:fe9a:bcde", local.String())
	for _, mac := range []string{"34:56:78:9a:bc", "34:56:78:9a:bc:de:f0:12", "zz:56:78:9a:bc:de", ""} {
		_, err := FromMAC(LinkLocal, mac)
		assert.ErrorContains(t, err, "not a MAC address", mac)
	}
	_, err = FromMAC(netip.MustParsePrefix("10.0.0.0/24"), "34:56:78:9a:bc:de")
	assert.ErrorContains(t, err, "wants an IPv6 subnet of length 64")
}

func TestReservedRange(t *testing.T) {
	for in, want := range map[string]string{
		"2001:db8::/64":  "2001:db8::fdff:ffff:ffff:ff80 2001:db8::fdff:ffff:ffff:ffff",
		"2001:db8::/112": "2001:db8::ff80 2001:db8::ffff",
	} {
		first, last, ok := ReservedRange(netip.MustParsePrefix(in))
		assert.True(t, ok)
		assert.Equal(t, want, first.String()+" "+last.String())
		for _, a := range []netip.Addr{first, last} {
			assert.Equal(t, ReservedAnycast, RoleOf(netip.MustParsePrefix(in), a))
		}
		assert.Equal(t, UsableAddress, RoleOf(netip.MustParsePrefix(in), first.Prev()))
	}
	_, _, ok := ReservedRange(netip.MustParsePrefix("2001:db8::/121"))
	assert.False(t, ok)
	_, _, ok = ReservedRange(netip.MustParsePrefix("10.0.0.0/24"))
	assert.False(t, ok)
}

func TestRelations(t *testing.T) {
	tests := []struct {
		a, b string
		want Relation
	}{
		{"10.48.1.0/26", "10.48.1.5/26", Same},
		{"10.48.0.0/16", "10.48.1.0/26", Contains},
		{"10.48.1.0/26", "10.48.0.0/16", Within},
		{"10.48.1.0/26", "10.48.1.64/26", Mergeable},
		{"10.48.1.64/26", "10.48.1.0/26", Mergeable},
		{"10.48.1.64/26", "10.48.1.128/26", Adjacent}, // not halves of one subnet
		{"10.48.1.0/26", "10.48.1.64/27", Adjacent},
		{"10.48.1.0/26", "10.48.2.0/26", Apart},
		{"10.48.1.0/26", "2001:db8::/64", Apart},
		{"255.255.255.0/24", "0.0.0.0/24", Apart}, // the space does not wrap round
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, Relate(netip.MustParsePrefix(tt.a), netip.MustParsePrefix(tt.b)), "%s %s", tt.a, tt.b)
	}
}

func TestSplit(t *testing.T) {
	p := netip.MustParsePrefix("10.48.0.77/22")
	assert.Equal(t, "10.48.0.0/24 10.48.1.0/24 10.48.2.0/24 10.48.3.0/24", words(slices.Collect(Split(p, 24))))
	assert.Equal(t, "10.48.0.0/22", words(slices.Collect(Split(p, 22))))
	assert.Empty(t, slices.Collect(Split(p, 21)))
	assert.Empty(t, slices.Collect(Split(p, 33)))
	assert.Equal(t, "255.255.255.254/32 255.255.255.255/32", words(slices.Collect(Split(netip.MustParsePrefix("255.255.255.254/31"), 32))),
		"at the end of the space")
	n := 0
	for range Split(netip.MustParsePrefix("::/0"), 128) {
		if n++; n == 5 {
			break // endless as good as
		}
	}
	assert.Equal(t, 5, n)
}

func TestLengths(t *testing.T) {
	for n, want := range map[int64]int{1: 20, 2: 21, 3: 22, 4: 22, 5: 23, 4096: 32} {
		l, ok := LengthForParts(netip.MustParsePrefix("10.48.0.0/20"), big.NewInt(n))
		assert.True(t, ok)
		assert.Equal(t, want, l, n)
	}
	_, ok := LengthForParts(netip.MustParsePrefix("10.48.0.0/20"), big.NewInt(4097))
	assert.False(t, ok)
	for n, want := range map[int64]int{1: 30, 2: 30, 3: 29, 6: 29, 7: 28, 62: 26, 63: 25, 254: 24, 255: 23, 4294967294: 0} {
		l, ok := LengthForHosts(IPv4, big.NewInt(n))
		assert.True(t, ok)
		assert.Equal(t, want, l, n)
	}
	_, ok = LengthForHosts(IPv4, big.NewInt(4294967295))
	assert.False(t, ok)
	l, _ := LengthForHosts(IPv6, big.NewInt(42))
	assert.Equal(t, 64, l)
	r := rand.New(rand.NewPCG(25, 26))
	for range 2000 {
		n := new(big.Int).Rsh(new(big.Int).SetUint64(r.Uint64()), uint(r.IntN(63)))
		n.Add(n.Lsh(n, uint(r.IntN(60))), big.NewInt(1))
		zero, longest := netip.IPv6Unspecified(), 64
		family := FamilyIf(r.IntN(2) == 0)
		if family == IPv4 {
			zero, longest = netip.IPv4Unspecified(), 30
		}
		l, ok := LengthForHosts(family, n)
		require.Equal(t, Usable(netip.PrefixFrom(zero, 0)).Cmp(n) >= 0, ok)
		if ok {
			require.GreaterOrEqual(t, Usable(netip.PrefixFrom(zero, l)).Cmp(n), 0, "%v of length %d", n, l)
			require.True(t, l == longest || Usable(netip.PrefixFrom(zero, l+1)).Cmp(n) < 0, "%v: a longer one than %d would do", n, l)
		}
	}
}

func TestMerge(t *testing.T) {
	for in, want := range map[string]string{
		"10.48.0.0/24 10.48.1.0/24":                           "10.48.0.0/23",
		"10.48.1.0/24 10.48.2.0/24":                           "10.48.1.0/24 10.48.2.0/24", // not halves
		"10.48.3.0/24 10.48.0.0/24 10.48.2.0/24 10.48.1.0/24": "10.48.0.0/22",
		"10.48.0.0/16 10.48.7.0/24 10.48.0.0/16":              "10.48.0.0/16",
		"10.48.1.77/24":                                       "10.48.1.0/24",
		"0.0.0.0/1 128.0.0.0/1":                               "0.0.0.0/0",
		"2001:db8::/33 10.0.0.0/8 2001:db8:8000::/33":         "10.0.0.0/8 2001:db8::/32",
		"::/1 8000::/1":                                       "::/0",
		"":                                                    "",
	} {
		assert.Equal(t, want, words(Merge(of(in))), in)
	}
}

// covered marks each address of 10.0.0.0/24 that some subnet holds.
func covered(all []netip.Prefix) (marks [256]bool) {
	for i := range marks {
		for _, p := range all {
			marks[i] = marks[i] || p.Contains(netip.AddrFrom4([4]byte{10, 0, 0, byte(i)}))
		}
	}
	return marks
}

// naiveFewest counts the fewest subnets that cover exactly the marks: a subnet
// wholly marked is one, else each half is looked at.
func naiveFewest(marks []bool) int {
	if !slices.Contains(marks, true) {
		return 0
	}
	if !slices.Contains(marks, false) {
		return 1
	}
	half := len(marks) / 2
	return naiveFewest(marks[:half]) + naiveFewest(marks[half:])
}

func TestMergeAndWithoutAgreeWithMarksOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	block := netip.MustParsePrefix("10.0.0.0/24")
	for range 500 {
		var all []netip.Prefix
		for range 1 + r.IntN(12) {
			all = append(all, netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(r.IntN(256))}), 25+r.IntN(8)))
		}
		marks := covered(all)
		merged := Merge(all)
		require.Equal(t, marks, covered(merged))
		require.Len(t, merged, naiveFewest(marks[:]))

		free := Without(block, all)
		var not [256]bool
		for i := range marks {
			not[i] = !marks[i]
		}
		require.Equal(t, not, covered(free))
		require.Len(t, free, naiveFewest(not[:]))
		for _, p := range all {
			require.True(t, Covers(Around(all), p.Masked()))
		}
	}
}

func TestWithoutAtTheEdges(t *testing.T) {
	tests := []struct{ block, taken, want string }{
		{"10.0.0.0/24", "", "10.0.0.0/24"},
		{"10.0.0.0/24", "10.0.0.0/24", ""},
		{"10.0.0.0/24", "10.0.0.0/8", ""},
		{"10.0.0.0/24", "10.0.1.0/24", "10.0.0.0/24"},
		{"10.0.0.0/24", "10.0.0.0/25", "10.0.0.128/25"},
		{"10.0.0.0/24", "10.0.0.128/25", "10.0.0.0/25"},
		{"255.255.255.0/24", "255.255.255.255/32",
			"255.255.255.0/25 255.255.255.128/26 255.255.255.192/27 255.255.255.224/28 255.255.255.240/29 255.255.255.248/30 " +
				"255.255.255.252/31 255.255.255.254/32"},
		{"::/0", "8000::/1", "::/1"},
		{"2001:db8::/62", "2001:db8:0:1::/64", "2001:db8::/64 2001:db8:0:2::/63"},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, words(Without(netip.MustParsePrefix(tt.block), of(tt.taken))), "%s without %s", tt.block, tt.taken)
	}
}

// needsOf reads NAME:HOSTS or NAME:/LENGTH.
func needsOf(text string) []Need {
	var all []Need
	for _, w := range strings.Fields(text) {
		name, amount, _ := strings.Cut(w, ":")
		n := Need{Name: name}
		if strings.HasPrefix(amount, "/") {
			fmt.Sscan(amount[1:], &n.Length)
		} else {
			n.Hosts, _ = new(big.Int).SetString(amount, 10)
		}
		all = append(all, n)
	}
	return all
}

func TestFit(t *testing.T) {
	tests := []struct {
		about, block, used, needs string
		inOrder                   bool
		want, free                string
	}{
		{"the larger first", "10.48.0.0/23", "", "desks:42 servers:12 guests:100 beam:/31", false,
			"10.48.0.128/26 10.48.0.192/28 10.48.0.0/25 10.48.0.208/31",
			"10.48.0.210/31 10.48.0.212/30 10.48.0.216/29 10.48.0.224/27 10.48.1.0/24"},
		{"around what is taken", "10.48.0.0/24", "10.48.0.64/26", "a:100 b:60", false, "10.48.0.128/25 10.48.0.0/26", ""},
		{"in the order asked", "10.48.0.0/24", "", "small:2 large:100", true, "10.48.0.0/30 10.48.0.128/25",
			"10.48.0.4/30 10.48.0.8/29 10.48.0.16/28 10.48.0.32/27 10.48.0.64/26"},
		{"IPv6 LANs", "2001:db8::/48", "", "a:40 b:4000", false, "2001:db8::/64 2001:db8:0:1::/64", ""},
		{"to the last address", "10.0.0.0/29", "", "a:/30 b:/31 c:/31", false, "10.0.0.0/30 10.0.0.4/31 10.0.0.6/31", ""},
	}
	for _, tt := range tests {
		f, err := Fit(netip.MustParsePrefix(tt.block), of(tt.used), needsOf(tt.needs), tt.inOrder)
		require.NoError(t, err, tt.about)
		var got []netip.Prefix
		for _, g := range f.Given {
			got = append(got, g.Subnet)
		}
		assert.Equal(t, tt.want, words(got), tt.about)
		if tt.free != "" {
			assert.Equal(t, tt.free, words(f.Free), tt.about)
		}
	}
	f, _ := Fit(netip.MustParsePrefix("10.48.0.0/24"), nil, needsOf("a:42"), false)
	assert.Equal(t, "20", f.Given[0].Spare.String(), "62 usable less 42")
	assert.Equal(t, "64", f.Used.String())
}

func TestFitSaysByHowMuchItDoesNot(t *testing.T) {
	_, err := Fit(netip.MustParsePrefix("10.48.0.0/24"), nil, needsOf("a:200 b:100"), false)
	var u *Unfit
	require.True(t, errors.As(err, &u))
	assert.Equal(t, "b", u.First.Name)
	assert.Equal(t, "128", u.Short.String()) // 256 and 128 wanted of 256
	assert.ErrorContains(t, err, "b, which wants a subnet of length 25, finds no place; in all 128 addresses are missing")

	// There is room enough, but not in one piece.
	_, err = Fit(netip.MustParsePrefix("10.48.0.0/24"), of("10.48.0.0/26 10.48.0.128/26"), needsOf("a:100"), false)
	require.True(t, errors.As(err, &u))
	assert.Equal(t, "0", u.Short.String())

	_, err = Fit(netip.MustParsePrefix("10.48.0.0/24"), nil, needsOf("a:99999999999"), false)
	assert.ErrorContains(t, err, "no subnet has 99999999999 usable addresses")
}

// Whatever can be fitted is fitted: sizes are powers of two, so needs whose
// sizes add up to no more than an empty block always fit, and with parts taken
// they fit if any order of placing them does.
func TestFitFindsAPlaceWheneverThereIsOne(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 24))
	block := netip.MustParsePrefix("10.0.0.0/26")
	fitted, unfit := 0, 0
	for range 300 {
		var used []netip.Prefix
		for range r.IntN(3) {
			used = append(used, netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(r.IntN(64))}), 28+r.IntN(5)).Masked())
		}
		var needs []Need
		for i := range 1 + r.IntN(5) {
			needs = append(needs, Need{Name: fmt.Sprint(i), Length: 27 + r.IntN(6)})
		}
		f, err := Fit(block, used, needs, false)
		want := possible(Without(block, used), needs)
		require.Equal(t, want, err == nil, "%v around %v", needs, used)
		if err != nil {
			unfit++
			continue
		}
		fitted++
		taken := slices.Clone(used)
		for i, g := range f.Given {
			require.Equal(t, needs[i].Length, g.Subnet.Bits())
			require.True(t, Covers(block, g.Subnet))
			for _, other := range taken {
				require.False(t, g.Subnet.Overlaps(other))
			}
			taken = append(taken, g.Subnet)
		}
		require.Equal(t, words(Without(block, taken)), words(f.Free))
	}
	assert.Greater(t, fitted, 50)
	assert.Greater(t, unfit, 20)
}

// possible tries every way of placing the needs.
func possible(free []netip.Prefix, needs []Need) bool {
	if len(needs) == 0 {
		return true
	}
	for i, f := range free {
		if f.Bits() > needs[0].Length {
			continue
		}
		for p := range Split(f, needs[0].Length) {
			rest := slices.Concat(free[:i:i], Without(f, []netip.Prefix{p}), free[i+1:])
			if possible(rest, needs[1:]) {
				return true
			}
		}
	}
	return false
}

func TestBeside(t *testing.T) {
	tests := []struct{ known, avoid, want string }{
		{"192.168.200.1/24", "", "192.168.200.2"},
		{"192.168.200.1/24", "192.168.200.2 192.168.200.3", "192.168.200.4"},
		{"192.168.200.10/24", "", "192.168.200.11"},
		{"192.168.200.254/24", "", "192.168.200.253"},
		{"192.168.200.2/30", "", "192.168.200.1"}, // only the likely gateway's is left
		{"192.168.200.2/30", "192.168.200.1", ""},
		{"10.0.0.0/31", "", "10.0.0.1"},
		{"10.0.0.0/32", "", ""},
		{"2001:db8::1/64", "", "2001:db8::2"},
		{"fe80::1/64", "fe80::2", "fe80::3"},
		{"2001:db8::5/64", "2001:db8::6..2001:db8::ffff:ffff:ffff", "2001:db8::4"},
		{"192.168.200.10/24", "192.168.200.11..192.168.200.14 192.168.200.3..192.168.200.9", "192.168.200.15"},
		{"192.168.200.10/28", "192.168.200.11..192.168.200.14 192.168.200.3..192.168.200.9", "192.168.200.2"},
		{"2001:db8::fdff:ffff:ffff:ff7f/64", "2001:db8::fdff:ffff:ffff:ff7e 2001:db8::fdff:ffff:ffff:ff7d", "2001:db8::fdff:ffff:ffff:ff7c"},
	}
	for _, tt := range tests {
		var avoid []Range
		for _, w := range strings.Fields(tt.avoid) {
			first, last, isRange := strings.Cut(w, "..")
			if !isRange {
				last = first
			}
			avoid = append(avoid, Range{netip.MustParseAddr(first), netip.MustParseAddr(last)})
		}
		a, ok := Beside(netip.MustParsePrefix(tt.known), avoid)
		assert.Equal(t, tt.want != "", ok, tt.known)
		if ok {
			assert.Equal(t, tt.want, a.String(), tt.known)
		}
	}
}

func BenchmarkFit100000Needs(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	needs := make([]Need, 100_000)
	for i := range needs {
		needs[i] = Need{Name: fmt.Sprint(i), Hosts: big.NewInt(1 + r.Int64N(100))}
	}
	for b.Loop() {
		if _, err := Fit(netip.MustParsePrefix("10.0.0.0/8"), nil, needs, false); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkMerge1000000(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	for family, make := range map[string]func() netip.Prefix{
		"IPv4": func() netip.Prefix {
			return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(r.Uint32()), byte(r.Uint32()), byte(r.Uint32())}), 24+r.IntN(9))
		},
		"IPv6": func() netip.Prefix {
			return netip.PrefixFrom(netip.AddrFrom16([16]byte{0x20, 1, 0xd, 0xb8, byte(r.Uint32()), byte(r.Uint32()), byte(r.Uint32()),
				byte(r.Uint32())}), 40+r.IntN(25))
		},
	} {
		var all []netip.Prefix
		for range 1_000_000 {
			all = append(all, make())
		}
		b.Run(family, func(b *testing.B) {
			for b.Loop() {
				Merge(all)
			}
		})
	}
}
