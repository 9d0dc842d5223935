package prefix

import (
	"math/big"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFactsByHand(t *testing.T) {
	tests := []struct {
		in, subnet, mask, inverse, first, last, broadcast, addresses, usable, previous, next, parent string
	}{
		// 77 = 64 + 13; 64 = 2 × 32: the third subnet of 32.
		{"10.48.1.77/27", "10.48.1.64/27", "255.255.255.224", "0.0.0.31", "10.48.1.65", "10.48.1.94", "10.48.1.95", "32", "30", "10.48.1.32/27",
			"10.48.1.96/27", "10.48.1.64/26"},
		{"10.48.1.0/26", "10.48.1.0/26", "255.255.255.192", "0.0.0.63", "10.48.1.1", "10.48.1.62", "10.48.1.63", "64", "62", "10.48.0.192/26",
			"10.48.1.64/26", "10.48.1.0/25"},
		{"192.0.2.1/31", "192.0.2.0/31", "255.255.255.254", "0.0.0.1", "192.0.2.0", "192.0.2.1", "", "2", "2", "192.0.1.254/31", "192.0.2.2/31",
			"192.0.2.0/30"},
		{"192.0.2.1/32", "192.0.2.1/32", "255.255.255.255", "0.0.0.0", "192.0.2.1", "192.0.2.1", "", "1", "1", "192.0.2.0/32", "192.0.2.2/32",
			"192.0.2.0/31"},
		{"0.0.0.0/0", "0.0.0.0/0", "0.0.0.0", "255.255.255.255", "0.0.0.1", "255.255.255.254", "255.255.255.255", "4294967296", "4294967294",
			"", "", ""},
		{"255.255.255.192/26", "255.255.255.192/26", "255.255.255.192", "0.0.0.63", "255.255.255.193", "255.255.255.254", "255.255.255.255",
			"64", "62", "255.255.255.128/26", "", "255.255.255.128/25"},
		// 2^64 less the router anycast address and the 128 of RFC 2526.
		{"2001:db8:5ea:110::9/64", "2001:db8:5ea:110::/64", "ffff:ffff:ffff:ffff::", "::ffff:ffff:ffff:ffff", "2001:db8:5ea:110::1",
			"2001:db8:5ea:110:ffff:ffff:ffff:ffff", "", "18446744073709551616", "18446744073709551487", "2001:db8:5ea:10f::/64",
			"2001:db8:5ea:111::/64", "2001:db8:5ea:110::/63"},
		// 256 addresses less the first and the highest 128.
		{"2001:db8::/120", "2001:db8::/120", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ff00", "::ff", "2001:db8::1", "2001:db8::7f", "", "256", "127",
			"2001:db7:ffff:ffff:ffff:ffff:ffff:ff00/120", "2001:db8::100/120", "2001:db8::/119"},
		{"2001:db8::/126", "2001:db8::/126", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:fffc", "::3", "2001:db8::1", "2001:db8::3", "", "4", "3",
			"2001:db7:ffff:ffff:ffff:ffff:ffff:fffc/126", "2001:db8::4/126", "2001:db8::/125"},
		{"2001:db8::1/127", "2001:db8::/127", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:fffe", "::1", "2001:db8::", "2001:db8::1", "", "2", "2",
			"2001:db7:ffff:ffff:ffff:ffff:ffff:fffe/127", "2001:db8::2/127", "2001:db8::/126"},
		{"::/0", "::/0", "::", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff", "::1", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ff7f", "",
			"340282366920938463463374607431768211456", "340282366920938463463374607431768211327", "", "", ""},
	}
	text := func(s interface{ String() string }, valid bool) string {
		if !valid {
			return ""
		}
		return s.String()
	}
	for _, tt := range tests {
		f := FactsOf(netip.MustParsePrefix(tt.in))
		assert.Equal(t, tt.subnet, f.Subnet.String(), tt.in)
		assert.Equal(t, tt.mask, f.Mask.String(), tt.in)
		assert.Equal(t, tt.inverse, f.InverseMask.String(), tt.in)
		assert.Equal(t, tt.first, f.First.String(), tt.in)
		assert.Equal(t, tt.last, f.Last.String(), tt.in)
		assert.Equal(t, tt.broadcast, text(f.Broadcast, f.Broadcast.IsValid()), tt.in)
		assert.Equal(t, tt.addresses, f.Addresses.String(), tt.in)
		assert.Equal(t, tt.usable, f.Usable.String(), tt.in)
		assert.Equal(t, tt.previous, text(f.Previous, f.Previous.IsValid()), tt.in)
		assert.Equal(t, tt.next, text(f.Next, f.Next.IsValid()), tt.in)
		assert.Equal(t, tt.parent, text(f.Parent, f.Parent.IsValid()), tt.in)
	}
}

func TestNthFromBothEnds(t *testing.T) {
	tests := []struct {
		prefix string
		n      int64
		want   string
	}{
		{"10.48.1.0/26", 1, "10.48.1.1"},
		{"10.48.1.0/26", 10, "10.48.1.10"},
		{"10.48.1.0/26", 62, "10.48.1.62"},
		{"10.48.1.0/26", 63, ""},
		{"10.48.1.0/26", 0, ""},
		{"10.48.1.0/26", -1, "10.48.1.62"},
		{"10.48.1.0/26", -2, "10.48.1.61"},
		{"10.48.1.0/26", -62, "10.48.1.1"},
		{"10.48.1.0/26", -63, ""},
		{"10.48.0.0/31", 1, "10.48.0.0"},
		{"10.48.0.0/31", -1, "10.48.0.1"},
		{"10.48.0.0/31", 3, ""},
		{"2001:db8::/64", 10, "2001:db8::a"},
		{"2001:db8::/64", -1, "2001:db8::ffff:ffff:ffff:ffff"},
		// The identifiers from fdff:ffff:ffff:ffff on number 0x0200000000000000;
		// going down one more passes over the 128 reserved ones.
		{"2001:db8::/64", -0x0200000000000000, "2001:db8:0:0:fe00::"},
		{"2001:db8::/64", -0x0200000000000001, "2001:db8::fdff:ffff:ffff:ff7f"},
		{"2001:db8::/127", 1, "2001:db8::"},
		{"2001:db8::/128", 1, "2001:db8::"},
		{"2001:db8::/128", 2, ""},
	}
	for _, tt := range tests {
		a, ok := Nth(netip.MustParsePrefix(tt.prefix), tt.n)
		assert.Equal(t, tt.want != "", ok, "%s %d", tt.prefix, tt.n)
		if ok {
			assert.Equal(t, tt.want, a.String(), "%s %d", tt.prefix, tt.n)
		}
	}
}

func TestRolesOfAddresses(t *testing.T) {
	tests := []struct {
		prefix, address string
		want            Role
	}{
		{"10.48.1.64/26", "10.48.1.64", SubnetAddress},
		{"10.48.1.64/26", "10.48.1.65", UsableAddress},
		{"10.48.1.64/26", "10.48.1.127", BroadcastRole},
		{"10.48.1.64/26", "10.48.1.128", Outside},
		{"10.48.1.64/31", "10.48.1.64", UsableAddress},
		{"10.48.1.64/32", "10.48.1.64", UsableAddress},
		{"2001:db8::/64", "2001:db8::", RouterAnycast},
		{"2001:db8::/64", "2001:db8::fdff:ffff:ffff:ff80", ReservedAnycast},
		{"2001:db8::/64", "2001:db8::fdff:ffff:ffff:ffff", ReservedAnycast},
		{"2001:db8::/64", "2001:db8::fdff:ffff:ffff:ff7f", UsableAddress},
		{"2001:db8::/64", "2001:db8::fe00:0:0:0", UsableAddress},
		{"2001:db8::/112", "2001:db8::ff80", ReservedAnycast},
		{"2001:db8::/112", "2001:db8::ff7f", UsableAddress},
		{"2001:db8::/127", "2001:db8::", UsableAddress},
		{"2001:db8::/64", "2001:db9::", Outside},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, RoleOf(netip.MustParsePrefix(tt.prefix), netip.MustParseAddr(tt.address)), "%s in %s", tt.address, tt.prefix)
	}
}

// naiveUsable lists the usable addresses of a small subnet one by one, straight
// from the RFCs' words.
func naiveUsable(p netip.Prefix) []netip.Addr {
	var all, usable []netip.Addr
	for a := p.Masked().Addr(); p.Contains(a); a = a.Next() {
		all = append(all, a)
	}
	for i, a := range all {
		if len(all) > 2 {
			last := 1
			if a.Is6() {
				last = 0
				if len(all) > 128 {
					last = 128
				}
			}
			if i == 0 || i >= len(all)-last {
				continue
			}
		}
		usable = append(usable, a)
	}
	return usable
}

func TestUsableAgreesWithCountingOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 400 {
		p := randomPrefix(r, 10)
		want := naiveUsable(p)
		require.Equal(t, int64(len(want)), Usable(p).Int64(), p)
		for i, a := range want {
			up, _ := Nth(p, int64(i+1))
			down, _ := Nth(p, int64(i-len(want)))
			position, ok := Position(p, a)
			require.True(t, ok)
			require.Equal(t, a, up, "%v", p)
			require.Equal(t, a, down, "%v", p)
			require.Equal(t, WideOf(uint64(i+1)), position, "%v", p)
		}
	}
}

// randomPrefix is a prefix of either family with at most host bits behind it.
func randomPrefix(r *rand.Rand, host int) netip.Prefix {
	bytes := make([]byte, 16)
	for i := range bytes {
		bytes[i] = byte(r.Uint32())
	}
	if r.IntN(2) == 0 {
		bytes = bytes[:4]
	}
	a, _ := netip.AddrFromSlice(bytes)
	a = a.Unmap()
	return netip.PrefixFrom(a, a.BitLen()-r.IntN(min(host, a.BitLen())+1))
}

// bigFacts works the same facts out with integers of any size.
func bigFacts(p netip.Prefix) (network, top *big.Int) {
	n := new(big.Int).SetBytes(p.Addr().AsSlice())
	size := new(big.Int).Lsh(big.NewInt(1), uint(p.Addr().BitLen()-p.Bits()))
	network = new(big.Int).Mul(new(big.Int).Div(n, size), size)
	return network, new(big.Int).Sub(new(big.Int).Add(network, size), big.NewInt(1))
}

func TestArithmeticAgreesWithBigIntegers(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	number := func(a netip.Addr) *big.Int { return new(big.Int).SetBytes(a.AsSlice()) }
	for range 20000 {
		p := randomPrefix(r, 128)
		network, top := bigFacts(p)
		require.Zero(t, number(p.Masked().Addr()).Cmp(network), "%v", p)
		require.Zero(t, number(Top(p)).Cmp(top), "%v", p)
		require.Zero(t, new(big.Int).Add(number(Mask(p)), number(InverseMask(p))).Cmp(number(Top(netip.PrefixFrom(p.Addr(), 0)))),
			"mask and inverse are all ones: %v", p)
		if next, ok := Next(p); ok {
			require.Zero(t, number(next.Addr()).Cmp(new(big.Int).Add(top, big.NewInt(1))), "%v", p)
			back, _ := Previous(next)
			require.Equal(t, p.Masked(), back)
		}
		if parent, ok := Parent(p); ok {
			require.True(t, Covers(parent, p))
			require.Equal(t, p.Bits()-1, parent.Bits())
			require.False(t, Covers(p, parent))
		}
		require.Zero(t, Number(p.Addr()).Int().Cmp(number(p.Addr())))
	}
}

func TestWideArithmetic(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	modulus := new(big.Int).Lsh(big.NewInt(1), 128)
	for range 5000 {
		a, b := Wide{r.Uint64(), r.Uint64()}, Wide{r.Uint64() >> r.IntN(64), r.Uint64()}
		sum := new(big.Int).Mod(new(big.Int).Add(a.Int(), b.Int()), modulus)
		difference := new(big.Int).Mod(new(big.Int).Sub(a.Int(), b.Int()), modulus)
		require.Zero(t, a.plus(b).Int().Cmp(sum))
		require.Zero(t, a.minus(b).Int().Cmp(difference))
		require.Equal(t, a.Int().Cmp(b.Int()), a.Compare(b))
		require.Equal(t, a.Int().String(), a.String())
	}
	for n := range 129 {
		want := new(big.Int).Sub(new(big.Int).Lsh(big.NewInt(1), uint(n)), big.NewInt(1))
		require.Zero(t, ones(n).Int().Cmp(want), "%d ones", n)
	}
}

func TestParseForgivesWhatComesWithPasting(t *testing.T) {
	tests := []struct{ in, want string }{
		{"10.48.1.77/27", "10.48.1.77/27"},
		{" \"10.48.1.77/27\", ", "10.48.1.77/27"},
		{"10.48.1.77 255.255.255.224", "10.48.1.77/27"},
		{"10.48.1.77, 255.255.255.224", "10.48.1.77/27"},
		{"10.48.1.77/255.255.255.224", "10.48.1.77/27"},
		{"0.0.0.0 0.0.0.0", "0.0.0.0/0"},
		{"2001:DB8:0:0::1/64", "2001:db8::1/64"},
		{"10.48.1.77", "10.48.1.77/32"},
		{"2001:db8::1", "2001:db8::1/128"},
	}
	for _, tt := range tests {
		p, whole, err := Parse(tt.in)
		if assert.NoError(t, err, tt.in) {
			assert.Equal(t, tt.want, p.String(), tt.in)
			assert.Equal(t, !strings.ContainsAny(strings.Trim(tt.in, " \","), "/ "), whole, tt.in)
		}
	}
}

func TestParseSaysWhatIsWrong(t *testing.T) {
	tests := []struct{ in, says string }{
		{"10.48.1.256/24", "256 is more than 255"},
		{"10.48.1/24", "it has 3 numbers, and IPv4 has four"},
		{"10.48.1.2.3/24", "it has 5 numbers"},
		{"10.48..2/24", "a number is missing"},
		{"10.48.01.2/24", "leading zero"},
		{"10.48.x.2/24", `"x" is not a number`},
		{"10.48.1.0/33", "IPv4 has lengths from 0 to 32"},
		{"10.48.1.0/-1", "not a prefix length"},
		{"10.48.1.0/+8", "not a prefix length"},
		{"10.48.1.0/x", "not a prefix length"},
		{"2001:db8::/129", "IPv6 has lengths from 0 to 128"},
		{"2001:db8::1::2/64", "'::' may stand in it once"},
		{"2001:db8/64", "it has 2 groups; write eight"},
		{"2001:db8:12345::/64", "more than four digits"},
		{"2001:dg8::/64", `"dg8" is not a hexadecimal number`},
		{"1:2:3:4:5:6:7:8:9/64", "it has 9 groups"},
		{"10.48.1.0 0.0.0.255", "inverse mask; the mask is 255.255.255.0"},
		{"10.48.1.0 255.0.255.0", "its ones are not in one run"},
		{"10.48.1.0 255.255.255.256", "is not a mask"},
		{"10.48.1.0 255.255.225.0", "did you mean 255.255.255.0?"},
		{"10.48.1.0 255.255.255.193", "did you mean 255.255.255.192?"},
		{"10.481.5/24", "it has 3 numbers, and IPv4 has four; did you mean 10.4.81.5 or 10.48.1.5?"},
		{"192.1682.1/24", "did you mean 192.16.82.1 or 192.168.2.1?"},
		{"10.48.48.1.2/24", "did you mean 10.48.1.2?"},
		{"fe80::1%eth0/64", "names a zone"},
		{"::ffff:10.0.0.1/96", "write 10.0.0.1"},
		{"", "there is no address here"},
		{"nonsense", `"nonsense" is not a number`},
	}
	for _, tt := range tests {
		_, _, err := Parse(tt.in)
		assert.ErrorContains(t, err, tt.says, tt.in)
	}
}

func TestScopesNameTheirRFC(t *testing.T) {
	tests := []struct{ address, use, rfc string }{
		{"10.48.0.1", "private use", "RFC 1918"},
		{"172.31.255.255", "private use", "RFC 1918"},
		{"172.32.0.0", "global unicast", "RFC 791"},
		{"100.64.0.1", "shared between carrier and customer", "RFC 6598"},
		{"169.254.1.1", "link-local", "RFC 3927"},
		{"198.51.100.33", "documentation", "RFC 5737"},
		{"224.0.0.5", "multicast", "RFC 5771"},
		{"255.255.255.255", "limited broadcast", "RFC 919"},
		{"254.0.0.1", "reserved", "RFC 1112"},
		{"8.0.0.1", "global unicast", "RFC 791"},
		{"2001:db8::1", "documentation", "RFC 3849"},
		{"3fff::1", "documentation", "RFC 9637"},
		{"fd00::1", "unique local", "RFC 4193"},
		{"fe80::1", "link-local unicast", "RFC 4291"},
		{"ff02::1", "multicast", "RFC 4291"},
		{"2a00::1", "global unicast", "RFC 4291"},
		{"::1", "loopback", "RFC 4291"},
		{"4000::1", "not assigned", "RFC 4291"},
	}
	for _, tt := range tests {
		s := ScopeOf(netip.MustParseAddr(tt.address))
		assert.Equal(t, [2]string{tt.use, tt.rfc}, [2]string{s.Use, s.RFC}, tt.address)
	}
}

func TestEndings(t *testing.T) {
	for n, want := range map[int64]string{1: "st", 2: "nd", 3: "rd", 4: "th", 11: "th", 12: "th", 13: "th", 21: "st", 112: "th", 122: "nd"} {
		assert.Equal(t, want, Ending(big.NewInt(n)), n)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"10.48.1.77/27", "10.48.1.77 255.255.255.224", "2001:db8::1/64", "::/0", "1.2.3", "fe80::1%x/64"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		p, _, err := Parse(s)
		if err != nil {
			return
		}
		again, _, err := Parse(p.String())
		require.NoError(t, err)
		require.Equal(t, p, again)
		facts := FactsOf(p)
		require.True(t, facts.Subnet.Contains(facts.First))
		require.True(t, facts.Subnet.Contains(facts.Last))
	})
}
