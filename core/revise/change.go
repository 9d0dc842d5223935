// Package revise changes a plan, in a copy and in its text: changes to try, remedies as
// edits, routes pinned, things renamed.
package revise

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// reviser revises one plan.
type reviser struct{ *workspace.Workspace }

// ChangeForms is how a change to try is written: as a step says what to set.
const ChangeForms = "'DEVICE: [also|remove] WHAT', where WHAT is 'route DESTINATION via NEXT-HOP', 'gateway ADDRESS', 'permit " +
	"SENTENCE', 'translate SENTENCE', " +
	"'INTERFACE up' or 'down', or 'INTERFACE KEY VALUE' with a key such as address, tagged, members or mtu; or '[remove] cable A to B'. " +
	"It is what a step says to set; or the sentence of a remedy"

// changeForm is what is said of a change that cannot be read.
func changeForm(text string) error { return fmt.Errorf("a change is %s, not '%s'", ChangeForms, text) }

// With is the same workspace with changes made in a copy of the network. A change that makes
// something wrong by itself, as an address that another has, is refused.
func With(w *workspace.Workspace, changes ...string) (*workspace.Workspace, error) {
	next := w
	for _, text := range changes {
		c, err := reviser{next}.change(text)
		if err != nil {
			return nil, err
		}
		copied := *next
		copied.Network = tried(next.Network, c)
		copied.Spec, copied.Trying = copied.Network.Spec, true
		copied.Basis += ", trying: " + c.Describe(next.Spec)
		next = &copied
	}
	if err := slips(w.Spec, next.Spec); err != nil {
		return nil, fmt.Errorf("'%s' is not tried: %w", strings.Join(changes, "', '"), err)
	}
	return next, nil
}

// tried is a network with a change. One of a device's own routes leaves all others as they
// are; with any other, what is derived is derived anew.
func tried(net *forward.Network, c model.Change) *forward.Network {
	if _, own := c.(model.Alter); own && c.Touches() == model.TouchesRoutes {
		spec := *c.Apply(net.Spec)
		spec.RoutesStand = true
		return forward.Resolve(network.Build(&spec).State(net.State.Failures()...))
	}
	return verify.Try(net, c)
}

// WithPending is the same workspace with all pending permits in force.
func WithPending(w *workspace.Workspace) *workspace.Workspace {
	next := *w
	next.Network = forward.Resolve(network.Build(w.Spec.WithPending()).State(w.Network.State.Failures()...))
	next.Spec, next.Trying = next.Network.Spec, true
	next.Basis += ", pending permits in force"
	return &next
}

// how is what a change does with what is there.
type how uint8

const (
	replaces how = iota
	adds
	removes
)

// remedyVerbs are the words that sentences of remedies begin with.
var remedyVerbs = []string{"add", "bring", "do", "give", "have", "let", "make", "on", "put", "take", "write"}

// labels are what stands in brackets behind an address in a step: who has it.
var labels = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\s*\([^()]*\)`) })

// change reads a change to try: as a step says it, or as a remedy does.
func (w reviser) change(text string) (model.Change, error) {
	c, err := w.asSaid(text)
	if err != nil {
		if remedy, ok := w.remedy(text); ok {
			return remedy, nil
		}
	}
	return c, err
}

// asSaid reads a change as a step says it.
func (w reviser) asSaid(text string) (model.Change, error) {
	words := strings.Fields(labels().ReplaceAllString(text, ""))
	mode := replaces
	take := func() {
		if len(words) > 0 && mode == replaces {
			switch words[0] {
			case "also":
				mode, words = adds, words[1:]
			case "remove":
				mode, words = removes, words[1:]
			}
		}
	}
	take()
	if len(words) > 1 && words[0] == "cable" {
		return w.cableChange(mode, words[1:], text)
	}
	if len(words) < 2 {
		return nil, changeForm(text)
	}
	name, isDevice := strings.CutSuffix(words[0], ":")
	if !isDevice { // DEVICE:INTERFACE
		e, err := w.Endpoint(words[0])
		if err != nil && slices.Contains(remedyVerbs, words[0]) {
			return nil, changeForm(text)
		}
		if err != nil {
			return nil, err
		}
		if e.Interface == model.None {
			return nil, changeForm(text)
		}
		words = words[1:]
		take()
		return w.interfaceChange(e.Interface, mode, words, text)
	}
	d, err := w.Device(name)
	if err != nil {
		return nil, err
	}
	words = words[1:]
	take()
	if len(words) < 2 {
		return nil, changeForm(text)
	}
	sentence := strings.Join(words[1:], " ")
	switch words[0] {
	case "route":
		if at := slices.Index(words[1:], "watch:"); at > 0 {
			return w.watchChange(d, mode, words[1:], at, text)
		}
		return w.routeChange(d, mode, words[1:], text)
	case "gateway", "gateway:":
		return w.gatewayChange(d, mode, words[1:], text)
	case "permit", "own-permit":
		return w.permitChange(d, mode, sentence, words[0] == "own-permit")
	case "translate":
		return w.translationChange(d, mode, sentence)
	case "permits:", "own-permits:", "translates:":
		return w.sentencesChange(d, mode, strings.TrimSuffix(words[0], ":"), sentence)
	case "interface":
		return w.madeChange(d, mode, words[1:], text)
	}
	if k := model.DeviceKeyNamed(strings.TrimSuffix(words[0], ":")); k != nil {
		return w.deviceKeyChange(d, k, mode, words[1:])
	}
	if id, ok := w.Spec.InterfaceNamed(d, words[0]); ok {
		return w.interfaceChange(id, mode, words[1:], text)
	}
	if words[1] == "via" || words[1] == "discard" { // short for 'also route'
		return w.addRoutes(d, words, text)
	}
	if id := w.nearest(d, words[0]); id != "" {
		return nil, fmt.Errorf("%s has no interface %s; did you mean %s?", name, words[0], id)
	}
	return nil, changeForm(text)
}
