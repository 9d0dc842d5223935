package revise

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// permitChange puts a permit behind the others of a device, or where its words say, or takes it away.
func (w reviser) permitChange(d model.DeviceID, mode how, sentence string, own bool) (model.Change, error) {
	if mode == replaces {
		return nil, severalOf("permit", sentence)
	}
	said := sentence
	sentence, behind := placeOf(sentence)
	p, err := w.permit(d, sentence, own)
	if err != nil {
		return nil, err
	}
	x := &w.Spec.Devices[d]
	list, word := x.Permits, "permit "
	if own {
		list, word = x.OwnPermits, "own-permit "
	}
	is := func(o model.Permit) bool {
		return o.Text == p.Text && slices.Equal(o.In, p.In) && slices.Equal(o.Out, p.Out) && o.Pending == p.Pending
	}
	if mode == removes && !slices.ContainsFunc(list, is) {
		return nil, fmt.Errorf("%s has no permit '%s'", x.Name, sentence)
	}
	to := len(list)
	if behind != nil {
		to = 0
		if *behind != "" {
			if to = slices.IndexFunc(list, func(o model.Permit) bool { return o.Text == *behind }) + 1; to == 0 {
				return nil, fmt.Errorf("%s has no permit '%s' to put it behind", x.Name, *behind)
			}
		}
	}
	if mode == removes && behind != nil && !slices.ContainsFunc(list[to:], is) {
		return nil, fmt.Errorf("%s has no permit '%s' there", x.Name, sentence)
	}
	return w.Spec.AlterDevice(d, w.said(d, mode, word+said), func(x *model.Device) {
		at := &x.Permits
		if own {
			at = &x.OwnPermits
		}
		if mode == removes && behind != nil { // that one only
			*at = slices.Clone(*at)
			if n := slices.IndexFunc((*at)[min(to, len(*at)):], is); n >= 0 {
				*at = slices.Delete(*at, to+n, to+n+1)
			}
			return
		}
		if mode == removes {
			*at = slices.DeleteFunc(slices.Clone(*at), is)
			return
		}
		*at = slices.Insert(slices.Clone(*at), min(to, len(*at)), p)
	}), nil
}

// placeOf cuts from a sentence where it is put: nil where nothing is said of that, "" before all
// others, else behind the sentence that is named.
func placeOf(sentence string) (string, *string) {
	if s, ok := strings.CutSuffix(sentence, ", before all others"); ok {
		return s, new(string)
	}
	if s, other, ok := strings.Cut(sentence, ", behind '"); ok {
		if other, ok = strings.CutSuffix(other, "'"); ok {
			return s, &other
		}
	}
	return sentence, nil
}

// permit reads a sentence with what may stand behind it: ', in by A or B', ', out of C', ', pending'.
func (w reviser) permit(d model.DeviceID, sentence string, own bool) (model.Permit, error) {
	bare, pending := strings.CutSuffix(sentence, ", pending")
	bare, out, hasOut := strings.Cut(bare, ", out of ")
	bare, in, hasIn := strings.Cut(bare, ", in by ")
	p, err := model.PermitOn(w.Document, w.Spec, d, bare, own)
	if err != nil {
		return p, err
	}
	p.Pending = pending
	for _, side := range []struct {
		is    bool
		names string
		into  *[]model.InterfaceID
	}{{hasIn, in, &p.In}, {hasOut, out, &p.Out}} {
		if !side.is {
			continue
		}
		for _, name := range strings.Split(side.names, " or ") {
			id, ok := w.Spec.InterfaceNamed(d, name)
			if !ok {
				return p, fmt.Errorf("%s has no interface %s", w.Spec.Devices[d].Name, name)
			}
			*side.into = append(*side.into, id)
		}
	}
	return p, nil
}

// sentencesChange puts sentences in place of all that a device has, or takes those away: 'permits: A; B'.
func (w reviser) sentencesChange(d model.DeviceID, mode how, key, text string) (model.Change, error) {
	if mode == adds {
		return nil, severalOf(strings.TrimSuffix(key, "s"), text)
	}
	var permits []model.Permit
	var translates []model.Translation
	for _, sentence := range strings.Split(text, "; ") {
		if key == "translates" {
			t, err := model.TranslationOn(w.Document, w.Spec, d, sentence)
			if err != nil {
				return nil, err
			}
			translates = append(translates, t)
			continue
		}
		p, err := w.permit(d, sentence, key == "own-permits")
		if err != nil {
			return nil, err
		}
		permits = append(permits, p)
	}
	if mode == removes {
		permits, translates = nil, nil
	}
	return w.Spec.AlterDevice(d, w.said(d, mode, key+": "+text), func(x *model.Device) {
		switch key {
		case "permits":
			x.Permits = permits
		case "own-permits":
			x.OwnPermits = permits
		default:
			x.Translates = translates
		}
	}), nil
}

// translationChange does the same with a translation.
func (w reviser) translationChange(d model.DeviceID, mode how, sentence string) (model.Change, error) {
	if mode == replaces {
		return nil, severalOf("translate", sentence)
	}
	t, err := model.TranslationOn(w.Document, w.Spec, d, sentence)
	if err != nil {
		return nil, err
	}
	x := &w.Spec.Devices[d]
	is := func(o model.Translation) bool { return o.Text == sentence }
	if mode == removes && !slices.ContainsFunc(x.Translates, is) {
		return nil, fmt.Errorf("%s has no translation '%s'", x.Name, sentence)
	}
	return w.Spec.AlterDevice(d, w.said(d, mode, "translate "+sentence),
		func(x *model.Device) { x.Translates = changed(x.Translates, mode, t, is) }), nil
}

// severalOf refuses to put one sentence in place of all.
func severalOf(word, sentence string) error {
	return fmt.Errorf("a device has several of these: 'also %s %s' adds one behind the others, 'remove %s …' takes one away", word, sentence,
		word)
}

// changed is a list with something behind it, or without it.
func changed[T any](all []T, mode how, one T, is func(T) bool) []T {
	if mode == removes {
		return slices.DeleteFunc(slices.Clone(all), is)
	}
	return append(slices.Clone(all), one)
}
