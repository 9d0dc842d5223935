package command

import (
	"fmt"
	"strings"
)

// topic is a page that no command has for itself.
type topic struct {
	name, title, about string
	columns            [2]string
	rows               [][2]string
}

// topics are the pages of the reference and of the manual that are about all commands.
var topics = []topic{
	{"exit-codes", "Exit codes", "Every command ends with one of these, so that scripts need not read what it says.",
		[2]string{"code", "means"}, [][2]string{
			{"0", "All is well: understood, and nothing of severity error was found; the ping works; everything is as planned."},
			{"1", "Understood, and something is wrong: a finding of severity error, a ping that does not work, something found otherwise than " +
				"planned, a step that puts something out of service."},
			{"2", "The command or its input cannot be used: a slip on the command line, a plan that cannot be read, a file that is not there."},
			{"3", "The real network could not be asked, or this system cannot do what was asked: no permission, no device that answers."},
			{"130", "Interrupted, by Ctrl-C or a signal. What was there by then is kept, and nothing is half written."},
		}},
	{"environment", "Environment", "Nothing has to be set. What is set is read here and nowhere else.", [2]string{"variable", "means"},
		[][2]string{
			{"ROPESWING_PLAN", "The plan, where -p names none. Unless set: the only *.plan.yaml of this folder, or of the nearest one above " +
				"that has any."},
			{"ROPESWING_ACCESS", "How devices are reached, where --access names no file. Unless set: NAME.access.yaml beside NAME.plan.yaml, " +
				"else `access` in the plan."},
			{"NO_COLOR", "Set to anything: no colour and no bold, on a terminal too."},
			{"CLICOLOR_FORCE", "Set to anything but 0: colour also where the output is no terminal."},
			{"TERM", "dumb: no colour."},
			{"COLUMNS", "How many columns an answer may take up where the output is no terminal, from 40; 80 unless set."},
			{"SSH_AUTH_SOCK", "The SSH agent whose keys 'observe --live' and 'push' log in with."},
			{"HOME", "Where .ssh/known_hosts is, with the keys of hosts that are known."},
			{"SHELL", "The shell that 'rehearse --shell' starts."},
			{"GOMEMLIMIT", "The memory from which on it is collected sooner; 1700MiB unless set. It is no bound."},
		}},
}

// markdown is the topic as a page of the reference.
func (t topic) markdown() string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n%s%s\n\n| %s | %s |\n| --- | --- |\n", t.title, generatedNote, t.about, t.columns[0], t.columns[1])
	for _, r := range t.rows {
		fmt.Fprintf(&b, "| `%s` | %s |\n", r[0], r[1])
	}
	return b.String()
}

// generatedNote stands on every page that is made from the code.
const generatedNote = "<!-- Made from the code by 'go test ./internal/command -update'. -->\n\n"
