package access

import "ropeswing/internal/keydoc"

// Format is what an access file holds.
var Format = keydoc.Page{
	Title: "How devices are reached",
	About: "`NAME.access.yaml` beside `NAME.plan.yaml`, or the file that `--access` or `ROPESWING_ACCESS` names, says how devices are " +
		"asked and told. No secret stands in it. The same may stand in the plan, under `access` and `known-hosts`; where there is a file, " +
		"it counts alone.",
	Example: `ropeswing-access: 1
known-hosts: known-hosts
access:
  - for: everyone
    methods:
      - by: netconf
        user: keeper
        key: {file: keys/keeper}
      - by: snmp
        version: "3"
        user: keeper
        auth: {env: SNMP_AUTH}
        privacy: {file: keys/privacy}
`,
	Maps: []keydoc.Map{
		{Name: "the file", Keys: []keydoc.Key{
			{Name: "ropeswing-access", Value: keydoc.Number, Means: "The version of this format: 1.", Must: true},
			{Name: "known-hosts", Value: keydoc.Word,
				Means: "The file with the host keys that are known, of SSH servers and of the certificates of RESTCONF servers, in the form of " +
					"OpenSSH. `~/.ssh/known_hosts` unless set."},
			{Name: "access", Has: "entry",
				Many: true, Means: "For whom which methods count. What names the device itself counts before a group, and a group before everyone.",
				Must: true},
		}},
		{Name: "entry", Keys: []keydoc.Key{
			{Name: "for", Value: keydoc.Word, Means: "A device of the plan, a group, a segment, or `everyone`.", Must: true},
			{Name: "methods", Has: "method",
				Many: true, Means: "How to ask, the preferred first. What one does not tell, the next one is asked for.", Must: true},
		}},
		{Name: "method", Keys: []keydoc.Key{
			{Name: "by", Value: keydoc.Word, OneOf: []string{NETCONF, RESTCONF, SNMP, Lists},
				Means: "NETCONF over SSH (RFC 6242), RESTCONF (RFC 8040), SNMP, or lists that the device prints by SSH. Only NETCONF is told by " +
					"`push`.", Must: true},
			{Name: "at", Value: keydoc.Word,
				Means: "`ADDRESS`, `ADDRESS:PORT` or `:PORT`, where that is not the address the plan manages the device at, or not the usual " +
					"port: 830, 443, 161, 22."},
			{Name: "version", Value: keydoc.Word, OneOf: []string{"2c", "3"}, Means: "Of SNMP. 3 unless set."},
			{Name: "user", Value: keydoc.Word, Means: "Who logs in. Of SNMP: the user of version 3."},
			{Name: "community", Has: "secret", Means: "Of SNMP version 2c."},
			{Name: "auth", Has: "secret", Means: "The authentication passphrase of SNMP version 3."},
			{Name: "privacy", Has: "secret", Means: "The privacy passphrase of SNMP version 3."},
			{Name: "auth-by", Value: keydoc.Word, OneOf: []string{"sha1", "sha224", "sha256", "sha384", "sha512"},
				Means: "The hash that authenticates (RFC 7860). sha256 unless set."},
			{Name: "privacy-by", Value: keydoc.Word, OneOf: []string{"aes", "aes192", "aes256", "aes192c", "aes256c"},
				Means: "The cipher. aes, of 128 bits (RFC 3826), unless set."},
			{Name: "password", Has: "secret", Means: "Of the user, for SSH or RESTCONF."},
			{Name: "key", Has: "secret", Means: "A private key, for SSH, in the form of OpenSSH or PEM. With neither key nor password the " +
				"keys of the SSH agent are shown."},
			{Name: "gear", Value: keydoc.Word, Means: "Of lists: the [gear file](gear.md) that says which words print what, and how it is read; or `linux`, a machine with Linux, which needs no file: the lists of its `ip` are read."},
		}},
		{Name: "secret", About: "One of the three.", Keys: []keydoc.Key{
			{Name: "file", Value: keydoc.Word, Means: "A file of mode 0600, named from the access file's folder."},
			{Name: "env", Value: keydoc.Word, Means: "A variable of the environment."},
			{Name: "ask", Value: keydoc.Truth, Means: "It is typed, once a run."},
		}},
	},
}
