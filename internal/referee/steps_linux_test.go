package referee

import (
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/netip"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/steps"
)

// TestLinuxCarriesOutSteps carries out worksheets in real namespaces, step by step, with a
// real session of the operator's open to the device of the step: it goes on or ends as was
// told, and after each step everybody reaches whom they are predicted to. How many is said by
// ROPESWING_REFEREE_STEPS. In every second one the operator is logged in at
// addresses that go.
func TestLinuxCarriesOutSteps(t *testing.T) {
	t.Parallel()
	count := 1
	if text := os.Getenv("ROPESWING_REFEREE_STEPS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err, "ROPESWING_REFEREE_STEPS is how many worksheets")
		count = n
		require.NoError(t, able())
	} else if err := able(); err != nil {
		t.Skipf("passed over: %s", err)
	}
	score := &score{rules: map[string]int{}}
	done, stayed, ended := 0, 0, 0
	first := 0
	if text := os.Getenv("ROPESWING_REFEREE_FROM"); text != "" {
		var err error
		first, err = strconv.Atoi(text)
		require.NoError(t, err, "ROPESWING_REFEREE_FROM is the first network")
	}
	for seed := uint64(first); seed < uint64(first+count); seed++ {
		r := rand.New(rand.NewPCG(seed, 53))
		differ, going := moving(t, r)
		if seed%2 == 0 {
			going = nil
		}
		w := steps.Plan(differ, going)
		if len(w.Steps) == 0 {
			continue
		}
		s, e := carryOut(t, w, seed, r, score)
		done, stayed, ended = done+len(w.Steps), stayed+s, ended+e
	}
	t.Logf("%d steps carried out: %d sessions went on and %d ended, as told; %d pings agree (%d of them get a reply)", done, stayed, ended,
		score.pings, score.replies)
	if count >= 20 {
		require.Greater(t, stayed, 5*count)
		require.Greater(t, ended, 0)
	}
}

// moving is how two random plans differ, in which a link or a LAN has another
// subnet, and of each router an address that goes. Nothing is watched: nobody probes here.
func moving(t *testing.T, r *rand.Rand) (differ *compare.Result, going map[model.DeviceID]netip.Addr) {
	text := "operator: h0\n" + strings.ReplaceAll(coretest.RandomNetwork(r, "{}"), "fault: hidden", "fault: seen")
	before := strings.Replace(text, fmt.Sprintf("[10.0.0.%d/31", 2*r.IntN(2)), "[10.0.13.0/31", 1)
	if r.IntN(2) == 0 {
		before = strings.Replace(text, fmt.Sprintf("[10.0.%d.0/", 16+r.IntN(3)), "[10.0.28.0/", 1)
	}
	unwatched := func(text string) *forward.Network {
		spec, _, _ := derive.Resolve(coretest.Spec(t, text))
		for i := range spec.Statics {
			spec.Statics[i].Watch = netip.Addr{}
		}
		spec.Settings.ErrorsTowardsSender[prefix.IPv6] = towardsSender6(t)
		return forward.Resolve(network.Build(spec).State())
	}
	after, found := unwatched(text), unwatched(before)
	going = map[model.DeviceID]netip.Addr{}
	for _, i := range found.Spec.Interfaces {
		for _, a := range i.Addresses {
			d, ok := after.Spec.DeviceNamed(found.Spec.Devices[i.Device].Name)
			if ok && after.Spec.Devices[d].Kind == model.Router && after.Spec.HolderLabel(a.Addr()) != found.Spec.HolderLabel(a.Addr()) {
				going[d] = a.Addr()
			}
		}
	}
	return compare.Differences(after, compare.AsObserved(found)), going
}

// port is where devices answer sessions.
const port = 7777

// carryOut makes the network as it is before all, and takes step after step.
func carryOut(t *testing.T, w *steps.Worksheet, seed uint64, r *rand.Rand, score *score) (stayed, ended int) {
	net0 := w.Network(0)
	l := rehearsed(t, net0, fmt.Sprintf("seed %d", seed))
	l.echoesOnly = true
	defer l.Close()
	for d := range l.spec.Devices {
		closer := l.answers(model.DeviceID(d))
		defer closer.Close()
	}
	for n := range w.Steps {
		s := &w.Steps[n]
		var session net.Conn
		if s.Session == steps.Stays || s.Session == steps.Moves || s.Session == steps.Ends {
			session = l.session(s.Login.Address)
			defer session.Close()
			require.NoError(t, echo(session, 5*time.Second), "seed %d step %d: the session is there", seed, n+1)
		}
		now := w.Network(n + 1)
		l.spec, l.state = now.Spec, now.State
		require.NoError(t, l.Become(now))
		switch s.Session {
		case steps.Stays:
			require.NoError(t, echo(session, 10*time.Second), "seed %d step %d: the session goes on", seed, n+1)
			stayed++
		case steps.Moves, steps.Ends:
			require.Error(t, echo(session, 2*time.Second), "seed %d step %d: the session ends", seed, n+1)
			ended++
		}
		if s.Session == steps.Moves {
			again := l.session(s.Then.Address)
			require.NoError(t, echo(again, 5*time.Second), "seed %d step %d: one logs in again", seed, n+1)
			again.Close()
		}
		if !coretest.Long() && n%12 > 0 && n < len(w.Steps)-1 {
			continue // each comparison waits for what is not answered
		}
		before := t.Failed()
		if l.compare(now, r, score); t.Failed() && !before {
			set, _ := s.Sets[0].What()
			t.Errorf("seed %d: after step %d, on %s: %s", seed, n+1, l.spec.Devices[s.Device].Name, set)
		}
	}
	return stayed, ended
}

// answers has a device answer sessions: what is sent comes back.
func (l *lab) answers(d model.DeviceID) io.Closer {
	var listener net.Listener
	require.NoError(l.t, l.Inside(d, func() (err error) {
		listener, err = net.Listen("tcp", fmt.Sprintf("[::]:%d", port))
		return err
	}))
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			go func() { _, _ = io.Copy(c, c); c.Close() }()
		}
	}()
	return listener
}

// session opens one from where the operator sits.
func (l *lab) session(to netip.Addr) net.Conn {
	var c net.Conn
	require.NoError(l.t, l.Inside(l.spec.Operator, func() (err error) {
		c, err = net.DialTimeout("tcp", netip.AddrPortFrom(to, port).String(), 10*time.Second)
		return err
	}), "a session to %s", to)
	return c
}

// echo tells whether what is sent comes back in time.
func echo(c net.Conn, within time.Duration) error {
	_ = c.SetDeadline(time.Now().Add(within))
	if _, err := c.Write([]byte("are you there\n")); err != nil {
		return err
	}
	answer := make([]byte, 14)
	_, err := io.ReadFull(c, answer)
	return err
}
