package command

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/cpuguy83/go-md2man/v2/md2man"
	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

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
		Long:    "Print the page of the manual of a command, or of exit-codes or environment, as 'man -l -' takes\nit. With --to all pages are written to a folder, for a folder such as man1 of the system's manual.",
		Example: "  ropeswing man ping | man -l -\n  ropeswing man --to man",
		Args:    cobra.MaximumNArgs(1),
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
			pages, err := a.pages()
			if err != nil {
				return err
			}
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

// pages are all pages of the manual. They bear no date, so that one program always makes the same.
func (a *app) pages() ([]output, error) {
	root := a.root("")
	root.DisableAutoGenTag = true
	var all []output
	var walk func(c *cobra.Command) error
	walk = func(c *cobra.Command) error {
		if c.Hidden || c.Name() == "help" {
			return nil
		}
		c.DisableAutoGenTag = true
		var b bytes.Buffer
		date := time.Time{}
		name := c.CommandPath()
		if err := doc.GenMan(c, &doc.GenManHeader{Section: "1", Source: "ropeswing " + Version, Date: &date}, &b); err != nil {
			return err
		}
		text := bytes.Replace(b.Bytes(), []byte(`"Jan 0001"`), []byte(`""`), 1) // no date, whatever the library thinks
		all = append(all, output{name: dashed(name) + ".1", text: text})
		for _, child := range c.Commands() {
			if err := walk(child); err != nil {
				return err
			}
		}
		return nil
	}
	if err := walk(root); err != nil {
		return nil, err
	}
	for _, t := range topics {
		all = append(all, output{name: "ropeswing-" + t.name + ".7", text: md2man.Render([]byte(t.manual()))})
	}
	return all, nil
}

// dashed is the name of the page of a command with the words of a path.
func dashed(path string) string {
	return string(bytes.ReplaceAll([]byte(path), []byte(" "), []byte("-")))
}
