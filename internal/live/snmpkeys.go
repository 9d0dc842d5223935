package live

import (
	"net"
	"os"
	"time"

	"github.com/gosnmp/gosnmp"

	"ropeswing/internal/mib"
)

// aesKey is how many bytes the key of AES has (RFC 3826 §1.2).
const aesKey = 16

// largestDiscovery is more than an answer to a discovery has, in bytes.
const largestDiscovery = 4096

// discover asks a device for its engine (RFC 3414 §4), and makes the user's keys there. The library would do both itself; but
// for AES it hashes a megabyte more for each device, to lengthen a key that is long enough. What is not understood is left to it.
func discover(x *gosnmp.GoSNMP, usm *gosnmp.UsmSecurityParameters) error {
	if usm.PrivacyProtocol != gosnmp.AES {
		return nil
	}
	request, err := (&gosnmp.SnmpPacket{Version: gosnmp.Version3, MsgFlags: gosnmp.NoAuthNoPriv | gosnmp.Reportable, MsgID: 1,
		SecurityModel: gosnmp.UserSecurityModel, SecurityParameters: &gosnmp.UsmSecurityParameters{}, PDUType: gosnmp.GetRequest}).MarshalMsg()
	if err != nil {
		return nil
	}
	defer func() { _ = x.Conn.SetDeadline(time.Time{}) }()
	answer := make([]byte, largestDiscovery)
	for try := 0; ; try++ {
		x.PreSend(x)
		if err := x.Conn.SetDeadline(time.Now().Add(x.Timeout)); err != nil {
			return err
		}
		if _, err := x.Conn.Write(request); err != nil {
			return err
		}
		n, err := x.Conn.Read(answer)
		if err == nil {
			answer = answer[:n]
			break
		}
		if network, ok := err.(net.Error); !ok || !network.Timeout() {
			return err
		}
		if x.Context.Err() != nil || try == x.Retries {
			return os.ErrDeadlineExceeded
		}
	}
	reader := &gosnmp.GoSNMP{Version: gosnmp.Version3, SecurityModel: gosnmp.UserSecurityModel, MsgFlags: gosnmp.NoAuthNoPriv,
		SecurityParameters: &gosnmp.UsmSecurityParameters{UserName: usm.UserName}}
	said, err := reader.SnmpDecodePacket(answer)
	if err != nil {
		return nil
	}
	engine, ok := said.SecurityParameters.(*gosnmp.UsmSecurityParameters)
	if !ok || len(engine.AuthoritativeEngineID) < 5 || len(engine.AuthoritativeEngineID) > 32 { // RFC 3411 §5
		return nil
	}
	usm.AuthoritativeEngineID, usm.AuthoritativeEngineBoots, usm.AuthoritativeEngineTime = engine.AuthoritativeEngineID,
		engine.AuthoritativeEngineBoots, engine.AuthoritativeEngineTime
	x.ContextEngineID = engine.AuthoritativeEngineID
	by := usm.AuthenticationProtocol.HashType()
	usm.SecretKey = mib.LocalKey(by, usm.AuthenticationPassphrase, usm.AuthoritativeEngineID)
	if key := mib.LocalKey(by, usm.PrivacyPassphrase, usm.AuthoritativeEngineID); len(key) >= aesKey {
		usm.PrivacyKey = key[:aesKey]
	}
	return nil
}
