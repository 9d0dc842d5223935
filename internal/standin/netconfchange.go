package standin

import (
	"fmt"
	"ropeswing/internal/yang"
	"strconv"
	"time"
)

// free refuses to change a datastore that another session has locked.
func (x *session) free(store string) error {
	if holder, ok := x.locks[store]; ok && holder != x.id {
		return &yang.Refusal{Tag: "in-use", Message: fmt.Sprintf("session %d has locked %s", holder, store)}
	}
	return nil
}

func (x *session) edit(store string, r *yang.Node) error {
	to := "candidate"
	if x.trouble.plain() {
		to = "running"
	}
	if store != to {
		return yang.Refused("operation-not-supported", "/rpc/"+r.Name+"/target", "changes go to %s, not to %q", to, store)
	}
	if err := x.free(store); err != nil {
		return err
	}
	how := r.Leaf("default-operation")
	if how == "" {
		how = "merge"
	}
	change := r.Child("config")
	if change == nil {
		return yang.Refused("missing-element", "/rpc/"+r.Name, "there is no config")
	}
	now, err := x.store(store)
	if err != nil {
		return err
	}
	breaksOff := store == "running" && x.trouble.oneIn("partly", 2)
	if breaksOff {
		change = part(change)
	}
	next := now.Copy()
	if how == "replace" {
		next.Children, how = nil, "merge"
	}
	if err := edit(next, change, yang.Data(), how, ""); err != nil {
		return err
	}
	if test := r.Leaf("test-option"); test == "" || test == "test-then-set" || test == "test-only" {
		if _, err := x.device(next); err != nil {
			return invalid(err)
		}
		if test == "test-only" {
			return nil
		}
	}
	if x.trouble.plain() {
		d, err := x.device(next)
		if err != nil {
			return invalid(err)
		}
		if err := x.yard.Set(x.name, d); err != nil || !breaksOff {
			return err
		}
		return yang.Refused("operation-failed", "/rpc/"+r.Name, "it broke off")
	}
	x.candidate = next
	return nil
}

// longestConfirm bounds how long a commit waits to be confirmed.
const longestConfirm = 24 * time.Hour

func (x *session) commit(r *yang.Node) error {
	for _, store := range []string{"candidate", "running"} {
		if err := x.free(store); err != nil {
			return err
		}
	}
	if c := x.confirm; c != nil && (c.persist == "" && c.session != x.id || c.persist != "" && c.persist != r.Leaf("persist-id")) {
		return &yang.Refusal{Tag: "in-use", Message: "another commit waits to be confirmed"}
	}
	data, err := x.store("candidate")
	if err != nil {
		return err
	}
	next, err := x.device(data)
	if err != nil {
		return invalid(err)
	}
	before, err := x.yard.Running(x.name)
	if err != nil {
		return err
	}
	if x.confirm != nil {
		before = x.confirm.before
		x.confirm.timer.Stop()
		x.confirm = nil
	}
	wait := time.Duration(0)
	if r.Child("confirmed") != nil {
		wait = 600 * time.Second // RFC 6241 §8.4.1
		if text := r.Leaf("confirm-timeout"); text != "" {
			n, err := strconv.ParseUint(text, 10, 32)
			if err != nil || n == 0 || time.Duration(n)*time.Second > longestConfirm {
				return yang.Refused("invalid-value", "/rpc/commit/confirm-timeout", "%q is no number of seconds", text)
			}
			wait = time.Duration(n) * time.Second
		}
	}
	if err := x.yard.Set(x.name, next); err != nil {
		return invalid(err)
	}
	x.candidate = nil
	if wait > 0 {
		c := &confirming{session: x.id, persist: r.Leaf("persist"), before: before}
		c.timer = time.AfterFunc(wait, func() {
			x.mutex.Lock()
			defer x.mutex.Unlock()
			if x.confirm == c {
				x.takeBack()
			}
		})
		x.confirm = c
	}
	return nil
}

func (x *session) copy(r *yang.Node) error {
	target, source := storeOf(r.Child("target")), r.Child("source")
	var data *yang.Node
	var err error
	if c := source.Child("config"); c != nil {
		data = yang.Box(yang.NETCONF, "data")
		err = edit(data, c, yang.Data(), "merge", "")
	} else {
		data, err = x.store(storeOf(source))
	}
	if err != nil {
		return err
	}
	if err := x.free(target); err != nil {
		return err
	}
	d, err := x.device(data)
	if err != nil {
		return invalid(err)
	}
	switch target {
	case "startup":
		return x.yard.SetSaved(x.name, d)
	case "candidate":
		x.candidate = data.Copy()
		return nil
	}
	return yang.Refused("operation-not-supported", "/rpc/copy-config/target", "copies go to startup or the candidate, not to %q", target)
}

func (x *session) lock(take bool, store string) error {
	if store != "running" && store != "candidate" && store != "startup" {
		return yang.Refused("invalid-value", "", "there is no datastore %q", store)
	}
	holder, held := x.locks[store]
	switch {
	case take && held:
		return &yang.Refusal{Tag: "lock-denied", Message: fmt.Sprintf("session %d has it", holder), Session: holder}
	case take && store == "candidate" && x.candidate != nil:
		return &yang.Refusal{Tag: "lock-denied", Message: "the candidate has changes that are not committed"}
	case take && x.confirm != nil && store == "running":
		return &yang.Refusal{Tag: "lock-denied", Message: "a commit waits to be confirmed", Session: x.confirm.session}
	case take:
		x.locks[store] = x.id
	case !held || holder != x.id:
		return yang.Refused("operation-failed", "", "this session has not locked %s", store)
	default:
		delete(x.locks, store)
		if store == "candidate" {
			x.candidate = nil
		}
	}
	return nil
}
