package standin

import (
	"fmt"
	"strconv"
	"time"
)

// free refuses to change a datastore that another session has locked.
func (x *session) free(store string) error {
	if holder, ok := x.locks[store]; ok && holder != x.id {
		return &rpcError{tag: "in-use", message: fmt.Sprintf("session %d has locked %s", holder, store)}
	}
	return nil
}

func (x *session) edit(store string, r *element) error {
	to := "candidate"
	if x.trouble.plain() {
		to = "running"
	}
	if store != to {
		return refused("operation-not-supported", "/rpc/"+r.name+"/target", "changes go to %s, not to %q", to, store)
	}
	if err := x.free(store); err != nil {
		return err
	}
	how := r.leaf("default-operation")
	if how == "" {
		how = "merge"
	}
	change := r.child("config")
	if change == nil {
		return refused("missing-element", "/rpc/"+r.name, "there is no config")
	}
	now, err := x.store(store)
	if err != nil {
		return err
	}
	breaksOff := store == "running" && x.trouble.oneIn("partly", 2)
	if breaksOff {
		change = part(change)
	}
	next := now.copied()
	if how == "replace" {
		next.children, how = nil, "merge"
	}
	if err := edit(next, change, config, how, ""); err != nil {
		return err
	}
	if test := r.leaf("test-option"); test == "" || test == "test-then-set" || test == "test-only" {
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
		return refused("operation-failed", "/rpc/"+r.name, "it broke off")
	}
	x.candidate = next
	return nil
}

// longestConfirm bounds how long a commit waits to be confirmed.
const longestConfirm = 24 * time.Hour

func (x *session) commit(r *element) error {
	for _, store := range []string{"candidate", "running"} {
		if err := x.free(store); err != nil {
			return err
		}
	}
	if c := x.confirm; c != nil && (c.persist == "" && c.session != x.id || c.persist != "" && c.persist != r.leaf("persist-id")) {
		return &rpcError{tag: "in-use", message: "another commit waits to be confirmed"}
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
	if r.child("confirmed") != nil {
		wait = 600 * time.Second // RFC 6241 §8.4.1
		if text := r.leaf("confirm-timeout"); text != "" {
			n, err := strconv.ParseUint(text, 10, 32)
			if err != nil || n == 0 || time.Duration(n)*time.Second > longestConfirm {
				return refused("invalid-value", "/rpc/commit/confirm-timeout", "%q is no number of seconds", text)
			}
			wait = time.Duration(n) * time.Second
		}
	}
	if err := x.yard.Set(x.name, next); err != nil {
		return invalid(err)
	}
	x.candidate = nil
	if wait > 0 {
		c := &confirming{session: x.id, persist: r.leaf("persist"), before: before}
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

func (x *session) copy(r *element) error {
	target, source := storeOf(r.child("target")), r.child("source")
	var data *element
	var err error
	if c := source.child("config"); c != nil {
		data = &element{space: netconfSpace, name: "data"}
		err = edit(data, c, config, "merge", "")
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
		x.candidate = data.copied()
		return nil
	}
	return refused("operation-not-supported", "/rpc/copy-config/target", "copies go to startup or the candidate, not to %q", target)
}

func (x *session) lock(take bool, store string) error {
	if store != "running" && store != "candidate" && store != "startup" {
		return refused("invalid-value", "", "there is no datastore %q", store)
	}
	holder, held := x.locks[store]
	switch {
	case take && held:
		return &rpcError{tag: "lock-denied", message: fmt.Sprintf("session %d has it", holder), session: holder}
	case take && store == "candidate" && x.candidate != nil:
		return &rpcError{tag: "lock-denied", message: "the candidate has changes that are not committed"}
	case take && x.confirm != nil && store == "running":
		return &rpcError{tag: "lock-denied", message: "a commit waits to be confirmed", session: x.confirm.session}
	case take:
		x.locks[store] = x.id
	case !held || holder != x.id:
		return refused("operation-failed", "", "this session has not locked %s", store)
	default:
		delete(x.locks, store)
		if store == "candidate" {
			x.candidate = nil
		}
	}
	return nil
}
