package form_test

import (
	"cmp"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/form"
	"ropeswing/core/observed"
)

// cells are the facts that a state holds, each as a line of text.
func cells(d *observed.Device) map[string]bool {
	all := map[string]bool{}
	add := func(format string, args ...any) { all[fmt.Sprintf(format, args...)] = true }
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		add("%s", x.Name)
		if x.Description != "" {
			add("%s note %s", x.Name, x.Description)
		}
		if x.Admin != "" {
			add("%s admin %s", x.Name, x.Admin)
		}
		if x.MTU > 0 {
			add("%s mtu %d", x.Name, x.MTU)
		}
		if v := ofVLAN(x); v > 0 {
			add("%s untagged %d", x.Name, v)
		}
		for _, v := range x.Tagged {
			add("%s tagged %d", x.Name, v)
		}
		all2, second := addresses(x)
		for k, a := range all2 {
			add("%s address %s %v", x.Name, a, second[k])
		}
	}
	for _, r := range d.Routes {
		if r.Discard {
			add("route %s discard", r.To)
			continue
		}
		add("route %s %s", r.To, r.NextHop)
		if r.Distance != nil {
			add("route %s %s distance %d", r.To, r.NextHop, *r.Distance)
		}
	}
	return all
}

type score struct {
	facts, right, wrong, unread, lines, same, extra, whole, devices, questions, known, seen int
	took                                                                                    time.Duration
}

func multiset(text string) map[string]int {
	m := map[string]int{}
	for l := range strings.SplitSeq(text, "\n") {
		if strings.TrimSpace(l) != "" {
			m[strings.Join(strings.Fields(l), " ")]++
		}
	}
	return m
}

func trial(t testing.TB, l language, plan string, n int, s *score, show bool) {
	all := examples(t, plan)
	slices.SortStableFunc(all, func(a, b example) int {
		return cmp.Compare(form.Of(b.d, b.names).Variety(), form.Of(a.d, a.names).Variety())
	})
	for k := 1; k < n; k++ { // as the first, and then the next, says
		var seen, others []*form.Thing
		for i, x := range all {
			if i < k {
				seen = append(seen, form.Of(x.d, x.names))
			} else {
				others = append(others, form.Of(x.d, x.names))
			}
		}
		if next, _ := form.Next(others, seen); next > 0 {
			all[k], all[k+next] = all[k+next], all[k]
		}
	}
	var learn []form.Example
	for _, x := range all[:n] {
		learn = append(learn, form.Example{Device: form.Of(x.d, x.names), Text: l.written(x.d, x.names)})
	}
	start := time.Now()
	got, err := form.Learn(l.name, learn)
	require.NoError(t, err)
	s.took += time.Since(start)
	s.questions += len(got.Questions)
	s.known += got.Understood
	s.seen += got.Lines
	if show {
		fmt.Println(got.Form.Text())
		for _, q := range got.Questions {
			fmt.Println("?", q)
		}
		fmt.Println(learn[0].Text)
	}
	for _, x := range all[n:] {
		text := l.written(x.d, x.names)
		r := got.Form.Read(text, x.d.Name)
		read := r.Observed()
		want, have := cells(x.d), map[string]bool{}
		if len(read) > 0 {
			have = cells(read[0])
		}
		s.facts += len(want)
		s.unread += len(r.Unread)
		for c := range have {
			if want[c] {
				s.right++
			} else {
				s.wrong++
				if show {
					fmt.Println("WRONG", c)
				}
			}
		}
		if show {
			for c := range want {
				if !have[c] {
					fmt.Println("MISSING", c)
				}
			}
			for _, u := range r.Unread {
				fmt.Println("UNREAD", u.Line, u.Text, u.Why)
			}
		}
		written := got.Form.Write(form.Of(x.d, x.names))
		a, b := multiset(text), multiset(written)
		for line, k := range a {
			s.lines += k
			s.same += min(k, b[line])
			if show && b[line] < k {
				fmt.Println("LACK", line)
			}
		}
		for line, k := range b {
			s.extra += max(0, k-a[line])
			if show && k > a[line] {
				fmt.Println("EXTRA", line)
			}
		}
		if strings.Join(strings.Fields(text), " ") == strings.Join(strings.Fields(written), " ") {
			s.whole++
		}
		s.devices++
	}
}

// measured is what came of learning a language from so many devices.
func measured(t testing.TB, l language, seeds, from, devices int) score {
	s := score{}
	for seed := from; seed < from+seeds; seed++ {
		trial(t, l, randomPlan(uint64(seed)), devices, &s, false)
	}
	return s
}

func percent(a, b int) float64 { return 100 * float64(a) / float64(max(1, b)) }

// Twelve languages, each learnt from one, two and three devices: the rest of the devices is read by what was learnt. Nothing is read
// wrongly, and what is not read is told. ROPESWING_CASES sets how many plans; ROPESWING_SHOW=LANGUAGE shows what was learnt.
func TestTwelveLanguagesAreLearnt(t *testing.T) {
	const from = 300 // plans that were not looked at while this was written
	seeds := coretest.Cases(2, 12)
	least := [4]float64{0, 94, 98.5, 99.5} // of a few plans; of forty as the issue has it
	if seeds >= 40 {
		least = [4]float64{0, 96, 99, 99.9}
	}
	for _, l := range languages {
		t.Run(l.name, func(t *testing.T) {
			t.Parallel()
			for n := 1; n <= 3; n++ {
				s := measured(t, l, seeds, from, n)
				require.Positive(t, s.facts)
				t.Logf("%s (%s) from %d: %.2f %% of %d facts read, %d wrong, %d lines unread; %.2f %% of lines written, %d too many; %.3f s",
					l.name, l.like, n,
					percent(s.right, s.facts), s.facts, s.wrong, s.unread, percent(s.same, s.lines), s.extra, s.took.Seconds()/float64(seeds))
				assert.Zero(t, s.wrong, "a wrong value is the failure that counts")
				assert.GreaterOrEqual(t, percent(s.right, s.facts), least[n], "from %d", n)
				assert.GreaterOrEqual(t, percent(s.same, s.lines), least[n]-1, "lines written, from %d", n)
			}
		})
	}
	if show := os.Getenv("ROPESWING_SHOW"); show != "" {
		for _, l := range languages {
			if l.name == show {
				s := score{}
				trial(t, l, randomPlan(from), 1, &s, true)
			}
		}
	}
}
