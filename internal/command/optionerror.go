package command

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"ropeswing/core/finding"
)

// values says what an option of a type takes.
var values = map[string]string{
	"int": "a whole number", "int64": "a whole number", "uint": "a whole number from 0 up", "uint32": "a whole number from 0 to 4294967295", "uint64": "a whole number from 0 up",
	"float64": "a number", "bool": "true or false", "duration": "a time such as 500ms, 2s or 1m", "count": "a whole number",
}

// optionError says what is wrong with an option as it was given, and what was likely meant.
func optionError(cmd *cobra.Command, err error) error {
	path := cmd.CommandPath()
	if words := cmd.Flags().Args(); len(words) > 0 && cmd.HasAvailableSubCommands() { // the slip is in the word before it
		return unknownCommand(cmd, words[0])
	}
	var (
		unknown *pflag.NotExistError
		missing *pflag.ValueRequiredError
		invalid *pflag.InvalidValueError
		syntax  *pflag.InvalidSyntaxError
	)
	switch {
	case errors.As(err, &unknown) && unknown.GetSpecifiedShortnames() != "":
		return fmt.Errorf("'%s' has no option -%.1s; '%s --help' lists them", path, unknown.GetSpecifiedName(), path)
	case errors.As(err, &unknown):
		word := unknown.GetSpecifiedName()
		var names []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		cmd.InheritedFlags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near, found := finding.Nearest(word, names); found {
			return fmt.Errorf("'%s' has no option --%s; did you mean --%s?", path, word, near)
		}
		return fmt.Errorf("'%s' has no option --%s; '%s --help' lists them", path, word, path)
	case errors.As(err, &missing):
		f := missing.GetFlag()
		takes, _ := pflag.UnquoteUsage(f)
		return fmt.Errorf("--%s is followed by what it is to be: --%s %s; '%s --help' tells more", f.Name, f.Name, takes, path)
	case errors.As(err, &invalid):
		f := invalid.GetFlag()
		if takes := values[f.Value.Type()]; takes != "" {
			return fmt.Errorf("--%s is %s, not '%s'; '%s --help' tells more", f.Name, takes, invalid.GetValue(), path)
		}
		return fmt.Errorf("--%s %s: %w; '%s --help' tells more", f.Name, invalid.GetValue(), invalid.Unwrap(), path)
	case errors.As(err, &syntax):
		return fmt.Errorf("'%s' is no option; '%s --help' lists them", syntax.GetSpecifiedFlag(), path)
	}
	return fmt.Errorf("%w; '%s --help' lists the options", err, path)
}
