package command

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// man makes the pages of the manual.
func (a *app) man() *cobra.Command {
	to := ""
	cmd := &cobra.Command{
		Use:     "man [COMMAND]",
		Short:   "The manual's page of a command; with --to all pages, as files",
		GroupID: groupOther,
		Long: "Print the page of the manual of a command, or of exit-codes or environment, as 'man -l -' takes\nit. With --to all pages " +
			"are written to a folder, for a folder such as man1 of the system's manual.",
		Example: "  ropeswing man ping | man -l -\n  ropeswing man --to man",
		Args:    atMost(1),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			var names []string
			for _, c := range a.commands() {
				names = append(names, c.name)
			}
			for _, t := range topics {
				names = append(names, t.name)
			}
			return names, noFiles
		},
		RunE: func(_ *cobra.Command, args []string) error {
			pages := a.pages()
			if to == "" {
				name := "ropeswing"
				if len(args) == 1 {
					name += "-" + args[0]
				}
				for _, p := range pages {
					if p.name == name+".1" || p.name == name+".7" {
						view.Raw(a.out, p.text)
						return nil
					}
				}
				return unknownCommand(a.root(""), args[0])
			}
			if len(args) > 0 {
				return fmt.Errorf("--to writes all pages; name no command with it")
			}
			if err := os.MkdirAll(a.at(to), 0o777); err != nil {
				return notWritten(to, err)
			}
			for _, p := range pages {
				if err := files.Put(filepath.Join(a.at(to), p.name), p.text, a.tell, files.ManualPage); err != nil {
					return notWritten(filepath.Join(to, p.name), err)
				}
			}
			fmt.Fprintf(a.out, "%s of the manual are in %s\n", view.Count(len(pages), "page"), view.Clean(to))
			return nil
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "write all pages to the folder `DIR`")
	return cmd
}

// pages are all pages of the manual. Their date is that of SOURCE_DATE_EPOCH, or of the release.
func (a *app) pages() []output {
	date := Released
	if n, err := strconv.ParseInt(a.getenv("SOURCE_DATE_EPOCH"), 10, 64); err == nil {
		date = time.Unix(n, 0).UTC().Format("2006-01-02")
	}
	var all []output
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Hidden || c.Name() == "help" {
			return
		}
		c.InitDefaultHelpFlag()
		all = append(all, output{name: dashed(c.CommandPath()) + ".1", text: manPage(c, date)})
		for _, child := range c.Commands() {
			walk(child)
		}
	}
	walk(a.root(""))
	for _, t := range topics {
		all = append(all, output{name: "ropeswing-" + t.name + ".7", text: t.manPage(date)})
	}
	return all
}

// dashed is the name of the page of a command with the words of a path.
func dashed(path string) string {
	return strings.ReplaceAll(path, " ", "-")
}
