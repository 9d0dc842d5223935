package revise

import (
	"fmt"
	"slices"

	"ropeswing/core/model"
)

// permitChange puts a permit behind the others of a device, or takes it away.
func (w reviser) permitChange(d model.DeviceID, mode how, sentence string, own bool) (model.Change, error) {
	if mode == replaces {
		return nil, severalOf("permit", sentence)
	}
	p, err := model.PermitOn(w.Document, w.Spec, d, sentence, own)
	if err != nil {
		return nil, err
	}
	x := &w.Spec.Devices[d]
	list, word := x.Permits, "permit "
	if own {
		list, word = x.OwnPermits, "own-permit "
	}
	is := func(o model.Permit) bool { return o.Text == sentence }
	if mode == removes && !slices.ContainsFunc(list, is) {
		return nil, fmt.Errorf("%s has no permit '%s'", x.Name, sentence)
	}
	return w.Spec.AlterDevice(d, w.said(d, mode, word+sentence), func(x *model.Device) {
		at := &x.Permits
		if own {
			at = &x.OwnPermits
		}
		*at = changed(*at, mode, p, is)
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
	return w.Spec.AlterDevice(d, w.said(d, mode, "translate "+sentence), func(x *model.Device) { x.Translates = changed(x.Translates, mode, t, is) }), nil
}

// severalOf refuses to put one sentence in place of all.
func severalOf(word, sentence string) error {
	return fmt.Errorf("a device has several of these: 'also %s %s' adds one behind the others, 'remove %s …' takes one away", word, sentence, word)
}

// changed is a list with something behind it, or without it.
func changed[T any](all []T, mode how, one T, is func(T) bool) []T {
	if mode == removes {
		return slices.DeleteFunc(slices.Clone(all), is)
	}
	return append(slices.Clone(all), one)
}
