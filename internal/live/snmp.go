package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/mib"
	"ropeswing/internal/wire"
)

// mostRows is how many rows one device may tell, which take some 60 MB: of more, what is told is taken for no answer.
const mostRows = 100_000

var authBy = map[string]gosnmp.SnmpV3AuthProtocol{"": gosnmp.SHA256, "sha1": gosnmp.SHA, "sha224": gosnmp.SHA224, "sha256": gosnmp.SHA256,
	"sha384": gosnmp.SHA384, "sha512": gosnmp.SHA512}
var privacyBy = map[string]gosnmp.SnmpV3PrivProtocol{"": gosnmp.AES, "aes": gosnmp.AES, "aes192": gosnmp.AES192, "aes256": gosnmp.AES256,
	"aes192c": gosnmp.AES192C, "aes256c": gosnmp.AES256C}

// snmp asks by SNMP for what is missing.
func (a *asker) snmp(ctx context.Context, name, at string, w *access.Way, missing []observed.Part) (*telling, error) {
	host, port, err := net.SplitHostPort(at)
	if err != nil {
		return nil, err
	}
	n, err := strconv.ParseUint(port, 10, 16)
	if err != nil {
		return nil, err
	}
	ctx, end := context.WithTimeout(ctx, mostSession)
	defer end()
	x := &gosnmp.GoSNMP{
		Target: host, Port: uint16(n), Version: gosnmp.Version2c, Timeout: a.Patience / 2, Retries: 2, MaxRepetitions: 25, Context: ctx,
		MaxOids: gosnmp.MaxOids,
		PreSend: func(*gosnmp.GoSNMP) { a.pace.wait(ctx) },
	}
	var usm *gosnmp.UsmSecurityParameters // of version 3
	if w.Version == "2c" {
		if x.Community, err = a.Secret(w.Community, "the community of "+name); err != nil {
			return nil, &Failure{Reason: NoSecret, Err: err}
		}
	} else {
		auth, err1 := a.Secret(w.Auth, "the authentication passphrase of "+name)
		privacy, err2 := a.Secret(w.Privacy, "the privacy passphrase of "+name)
		if err := errors.Join(err1, err2); err != nil {
			return nil, &Failure{Reason: NoSecret, Err: err}
		}
		by, ok1 := authBy[w.AuthBy]
		hide, ok2 := privacyBy[w.PrivacyBy]
		if !ok1 || !ok2 {
			return nil, &Failure{Reason: NotRead,
				Err: fmt.Errorf("auth-by is sha1 to sha512 and privacy-by aes, aes192 or aes256, not %q and %q", w.AuthBy, w.PrivacyBy)}
		}
		x.Version, x.SecurityModel, x.MsgFlags = gosnmp.Version3, gosnmp.UserSecurityModel, gosnmp.AuthPriv
		usm = &gosnmp.UsmSecurityParameters{UserName: w.User, AuthenticationProtocol: by, AuthenticationPassphrase: auth,
			PrivacyProtocol: hide, PrivacyPassphrase: privacy}
		x.SecurityParameters = usm
	}
	if err := x.Connect(); err != nil {
		return nil, err
	}
	defer x.Conn.Close()
	if usm != nil {
		if err := discover(x, usm); err != nil {
			return nil, snmpFailure(err)
		}
	}
	var rows []mib.Row
	whole := map[string]bool{}
	var broken error
	for i, tree := range mib.Trees {
		if parts := mib.Parts(tree); i > 2 &&
			len(parts) > 0 && !slices.ContainsFunc(parts, func(p observed.Part) bool { return slices.Contains(missing, p) }) {
			continue // the first ones say which interfaces there are
		}
		more, err := walk(ctx, x, tree, mostRows-len(rows))
		rows = append(rows, more...)
		if err != nil {
			if broken = err; len(rows) == 0 {
				return nil, snmpFailure(err)
			}
			if !errors.Is(err, gosnmp.ErrUnknownSecurityLevel) && isTimeout(err) {
				break
			}
			continue
		}
		whole[tree.String()] = true
	}
	d, system, unread := mib.Read(name, rows, func(o mib.OID) bool { return whole[o.String()] })
	t := &telling{device: d, calls: system.Name, clock: system.Clock}
	if now := a.Now(); system.Ticks > 0 {
		if t.clock.IsZero() {
			t.clock = now
		}
		t.boot = t.clock.Add(-time.Duration(system.Ticks) * 10 * time.Millisecond)
	}
	for _, u := range unread {
		t.unread = append(t.unread, wire.Unread{Text: u.OID.String(), Why: u.Why})
	}
	if broken != nil {
		return t, &Failure{Reason: Half, Err: fmt.Errorf("it broke off: %w", broken)}
	}
	if len(rows) == 0 {
		return nil, &Failure{Reason: NotRead, Err: errors.New("it answers, and has none of the standard tables")}
	}
	return t, nil
}

// walk is all rows below a tree. The library's own walk takes an error in an answer for the end of the tree.
func walk(ctx context.Context, x *gosnmp.GoSNMP, tree mib.OID, most int) ([]mib.Row, error) {
	var rows []mib.Row
	last, repetitions := tree, x.MaxRepetitions
	for {
		a, err := x.GetBulk([]string{last.String()}, 0, repetitions)
		switch {
		case err != nil:
			return rows, err
		case ctx.Err() != nil:
			return rows, errors.New("it takes too long to tell all")
		case a.Error == gosnmp.TooBig && repetitions > 1:
			repetitions /= 2
			continue
		case a.Error != gosnmp.NoError:
			return rows, fmt.Errorf("it answers with the error %s", a.Error)
		case len(a.Variables) == 0:
			return rows, nil
		}
		for _, v := range a.Variables {
			if v.Type == gosnmp.EndOfMibView || v.Type == gosnmp.NoSuchObject || v.Type == gosnmp.NoSuchInstance {
				return rows, nil
			}
			row, ok, err := rowOf(v)
			if err != nil {
				return rows, err
			}
			if _, below := tree.Has(row.OID); !below {
				return rows, nil
			}
			switch {
			case row.OID.Compare(last) <= 0:
				return rows, errors.New("its tables go backwards")
			case len(rows) >= most:
				return rows, fmt.Errorf("it sends more than %d rows", mostRows)
			}
			if last = row.OID; ok {
				rows = append(rows, row)
			}
		}
	}
}

// rowOf is a variable as a row; false for one of a type that no table read here has.
func rowOf(v gosnmp.SnmpPDU) (mib.Row, bool, error) {
	o, err := mib.ParseOID(v.Name)
	if err != nil {
		return mib.Row{}, false, err
	}
	r := mib.Row{OID: o}
	switch value := v.Value.(type) {
	case []byte:
		r.Value.Type, r.Value.Bytes = mib.Octets, value
	case string:
		if v.Type == gosnmp.IPAddress {
			r.Value.Type = mib.IPAddress
			if ip := net.ParseIP(value).To4(); ip != nil {
				r.Value.Bytes = ip
			}
			break
		}
		r.Value.Type = mib.Object
		if r.Value.OID, err = mib.ParseOID(value); err != nil {
			return r, false, nil
		}
	case int:
		r.Value.Number = int64(value)
	case uint:
		r.Value.Number = int64(value)
	case uint32:
		r.Value.Number = int64(value)
	case uint64:
		r.Value.Number = int64(min(value, 1<<62))
	default:
		return r, false, nil
	}
	return r, true, nil
}

func isTimeout(err error) bool {
	var network net.Error
	return errors.As(err, &network) && network.Timeout() || strings.Contains(err.Error(), "timeout")
}

// snmpFailure sorts what the library says.
func snmpFailure(err error) error {
	switch {
	case errors.Is(err, gosnmp.ErrUnknownUsername), errors.Is(err, gosnmp.ErrWrongDigest), errors.Is(err,
		gosnmp.ErrDecryption), errors.Is(err, gosnmp.ErrUnknownSecurityLevel),
		strings.Contains(err.Error(), "not authentic"): // a report of a wrong passphrase is not sealed itself
		return &Failure{Reason: Login, Err: errors.New("it does not take the user, or a passphrase")}
	case isRefused(err):
		return err
	case isTimeout(err):
		return &Failure{Reason: Unreached, Err: errors.New("nothing came back; with SNMP a wrong community says nothing either")}
	}
	return err
}
