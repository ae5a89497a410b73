package cli

import (
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

func newPut() *cobra.Command {
	var draft, offline bool
	c := &cobra.Command{
		Use:   "put FILE|DIR...",
		Short: "Check definition files and publish them, all or nothing",
		Long: `Check definition files and publish them, all or nothing. New and changed datasets are
held against their databases: tables and columns that are not there, values that are
not what the dataset says. A database that cannot be reached is told and stops nothing;
--offline asks none.`,
		Example: `  pikegate put late-sailings.yaml
  pikegate put definitions
  pikegate put --draft late-sailings.yaml`,
		Args: arity(1, anyNumber),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			files, err := definitionFiles(args)
			if err != nil {
				return err
			}
			var list api.PutList
			if err := client.json(c.Context(), http.MethodPost, "/definitions", api.Upload{Files: files, Draft: draft, Offline: offline}, &list); err != nil {
				return err
			}
			sayPut(c, list, draft)
			return nil
		}),
	}
	serverFlag(c)
	c.Flags().BoolVar(&draft, "draft", false, "store new revisions and leave what is published")
	c.Flags().BoolVar(&offline, "offline", false, "do not ask the databases whether they have what datasets describe")
	return c
}

// sayPut tells what became of definitions, and what was found on standard error.
func sayPut(c *cobra.Command, list api.PutList, draft bool) {
	for _, d := range list.Definitions {
		state := ""
		if draft && d.Change != "same" {
			state = ", draft"
		}
		fmt.Fprintf(c.OutOrStdout(), "%-8s %-8s %s (revision %d%s)\n", d.Change, d.Kind, d.Name, d.Revision, state)
		for _, setting := range d.Difference {
			fmt.Fprintf(c.OutOrStdout(), "           %s\n", setting)
		}
	}
	errors := 0
	for _, w := range list.Findings {
		if fmt.Fprintln(c.ErrOrStderr(), w.Error()); !w.Warning {
			errors++
		}
	}
	if draft && errors > 0 {
		fmt.Fprintf(c.OutOrStdout(), "stored as a draft with %s; it cannot be published as it is\n", english.Count(errors, "error"))
	}
}

// definitionFiles reads the files named, and those in the directories named.
func definitionFiles(paths []string) ([]catalog.File, error) {
	var files []catalog.File
	for _, path := range paths {
		found := []string{path}
		if info, err := os.Stat(path); err != nil {
			return nil, fail(exitUsage, "%w", err)
		} else if info.IsDir() {
			if found, err = yamlBelow(path); err != nil {
				return nil, fail(exitFailed, "%w", err)
			}
			if len(found) == 0 {
				return nil, fail(exitUsage, "no .yaml or .yml file in %s", path)
			}
		}
		for _, name := range found {
			text, err := os.ReadFile(name)
			if err != nil {
				return nil, fail(exitFailed, "%w", err)
			}
			if !utf8.Valid(text) {
				return nil, fail(exitDefinitions, "%s is not UTF-8 text [%s]", name, fault.NotText)
			}
			files = append(files, catalog.File{Name: filepath.ToSlash(name), Text: string(text)})
		}
	}
	return files, nil
}

func yamlBelow(dir string) ([]string, error) {
	var found []string
	err := filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
		if err == nil && !entry.IsDir() && slices.Contains([]string{".yaml", ".yml"}, filepath.Ext(path)) {
			found = append(found, path)
		}
		return err
	})
	return found, err
}
