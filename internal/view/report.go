package view

import (
	"cmp"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/url"
	"path/filepath"
	"strings"

	"ropeswing/core/finding"
)

// Report is what was found, for machines that run checks: as SARIF 2.1.0 (OASIS), or as
// JUnit's XML.
type Report struct {
	Name    string // what was looked at
	Version string
	Passed  []string // what was looked at and is well, where that is known by name
	Entries []ReportEntry
}

// ReportEntry is one thing found.
type ReportEntry struct {
	Rule, Means string
	Level       string // error, warning or note
	Subject     string
	Text        string
	File        string
	Line        int // from 1; 0 where there is none
	Column      int // from 1
}

// Report is a check's result for machines.
func (v Findings) Report(version string) Report {
	r := Report{Name: cmp.Or(v.Plan, v.File), Version: version}
	for _, f := range v.Findings {
		level := map[string]string{"error": "error", "warning": "warning"}[f.Severity]
		text := f.Reason
		if f.Remedy != "" {
			text += "; remedy: " + f.Remedy
		}
		r.Entries = append(r.Entries, ReportEntry{f.Name, finding.Lookup(finding.Name(f.Name)).Means, cmp.Or(level, "note"), f.Subject, text,
			f.File, f.Line, f.Column})
	}
	return r
}

// Report is a comparison for machines.
func (v Comparison) Report(name, version string) Report {
	r := Report{Name: name, Version: version}
	for _, d := range v.Differences {
		text := fmt.Sprintf("%s of %s: %s", d.What, strings.TrimSpace(d.Device+" "+d.Subject), d.Kind)
		if d.Planned != "" {
			text += fmt.Sprintf(", %s: %s", v.words[0], d.Planned)
		}
		if d.Found != "" {
			text += fmt.Sprintf(", %s: %s", v.words[1], d.Found)
		}
		for _, more := range []string{d.Slip, d.Such} {
			if more != "" {
				text += "; " + more
			}
		}
		level := "warning"
		if d.Lost > 0 {
			level = "error"
		}
		rule := "difference-of-" + strings.ReplaceAll(d.What, " ", "-")
		means := "The network as found is not as planned."
		if v.words[0] != "planned" {
			means = "The two that are compared are not alike."
		}
		r.Entries = append(r.Entries, ReportEntry{rule, means, level, cmp.Or(d.Device, "the plan"), text, d.File, d.Line, 1})
	}
	return r
}

// SARIF writes the report in the Static Analysis Results Interchange Format.
func (r Report) SARIF(w io.Writer) error {
	rules, seen := []any{}, map[string]bool{}
	results := []any{}
	for _, e := range r.Entries {
		if !seen[e.Rule] {
			seen[e.Rule] = true
			rules = append(rules, map[string]any{"id": e.Rule, "shortDescription": map[string]any{"text": e.Means}})
		}
		result := map[string]any{"ruleId": e.Rule, "level": e.Level, "message": map[string]any{"text": e.Text}}
		if e.File != "" {
			place := map[string]any{"artifactLocation": map[string]any{"uri": (&url.URL{Path: filepath.ToSlash(e.File)}).String()}}
			if e.Line > 0 {
				place["region"] = map[string]any{"startLine": e.Line, "startColumn": max(1, e.Column)}
			}
			result["locations"] = []any{map[string]any{"physicalLocation": place}}
		}
		results = append(results, result)
	}
	b, err := json.MarshalIndent(map[string]any{
		"$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json", "version": "2.1.0",
		"runs": []any{map[string]any{
			"tool":    map[string]any{"driver": map[string]any{"name": "Rope Swing", "version": r.Version, "rules": rules}},
			"results": results, "columnKind": "unicodeCodePoints",
		}},
	}, "", "  ")
	if err != nil {
		return err
	}
	_, err = w.Write(append(cleanJSON(b), '\n'))
	return err
}

// The elements of JUnit's XML.
type (
	junitSuites struct {
		XMLName xml.Name `xml:"testsuites"`
		Suites  []junitSuite
	}
	junitSuite struct {
		XMLName  xml.Name `xml:"testsuite"`
		Name     string   `xml:"name,attr"`
		Tests    int      `xml:"tests,attr"`
		Failures int      `xml:"failures,attr"`
		Cases    []junitCase
	}
	junitCase struct {
		XMLName xml.Name      `xml:"testcase"`
		Class   string        `xml:"classname,attr"`
		Name    string        `xml:"name,attr"`
		Failure *junitFailure `xml:"failure,omitempty"`
		Out     string        `xml:"system-out,omitempty"`
	}
	junitFailure struct {
		Type    string `xml:"type,attr"`
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
)

// JUnit writes the report as JUnit's XML: a case for each thing found, those below an
// error as passed with a remark, and one that passes where nothing was found.
func (r Report) JUnit(w io.Writer) error {
	suite := junitSuite{Name: r.Name}
	for _, e := range r.Entries {
		where := e.File
		if e.Line > 0 {
			where += fmt.Sprintf(":%d", e.Line)
		}
		c := junitCase{Class: Clean(e.Rule), Name: Clean(cmp.Or(e.Subject, e.Rule))}
		if e.Level == "error" {
			suite.Failures++
			c.Failure = &junitFailure{e.Rule, Clean(e.Text), Clean(where + ": " + e.Text)}
		} else {
			c.Out = Clean(e.Level + ": " + where + ": " + e.Text)
		}
		suite.Cases = append(suite.Cases, c)
	}
	if len(suite.Cases) == 0 {
		suite.Cases = append(suite.Cases, junitCase{Class: "all", Name: "nothing wrong"})
	}
	suite.Tests = len(suite.Cases)
	b, err := xml.MarshalIndent(junitSuites{Suites: []junitSuite{suite}}, "", "  ")
	if err != nil {
		return err
	}
	_, err = io.WriteString(w, xml.Header+string(b)+"\n")
	return err
}
