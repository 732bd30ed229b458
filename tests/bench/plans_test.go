package bench

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// explained is the beginning of a plan in PostgreSQL's log: how long its query took, in milliseconds.
var explained = regexp.MustCompile(`(?m)^.*LOG:  duration: ([0-9.]+) ms  plan:$`)

// longestPlan returns the plan of the slowest query in what PostgreSQL logged, "" where it logged none.
func longestPlan(log string) (plan string) {
	slowest := 0.0
	found := explained.FindAllStringSubmatchIndex(log, -1)
	for i, at := range found {
		end := len(log)
		if i+1 < len(found) {
			end = found[i+1][0]
		}
		if took, err := strconv.ParseFloat(log[at[2]:at[3]], 64); err == nil && took > slowest {
			slowest, plan = took, log[at[0]:end]
		}
	}
	return strings.TrimSpace(plan)
}

// explain opens pages of a library once more, and prints the plan of the slowest query of each. It prints
// nothing where the database's log cannot be read.
func (p *program) explain(pages map[string]string) {
	var data string
	p.query(`show data_directory`, &data)
	log := filepath.Join(filepath.Dir(data), "postgres.log")
	if _, err := os.Stat(log); err != nil {
		p.b.Logf("the plans of the queries are not printed: %v", err)
		return
	}
	address, err := url.Parse(p.database)
	must(p.b, err)
	with := address.Query()
	with.Set("options", "-c session_preload_libraries=auto_explain -c auto_explain.log_min_duration=1 "+
		"-c auto_explain.log_analyze=on -c auto_explain.log_timing=off")
	address.RawQuery = strings.ReplaceAll(with.Encode(), "+", "%20") // which PostgreSQL reads
	other := startOn(p.b, address.String())
	names := make([]string, 0, len(pages))
	for name := range pages {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		other.ask(pages[name])
		before, err := os.Stat(log)
		must(p.b, err)
		other.ask(pages[name])
		content, err := os.ReadFile(log)
		must(p.b, err)
		if plan := longestPlan(string(content[before.Size():])); plan != "" {
			fmt.Fprintf(os.Stderr, "the slowest query of %s:\n%s\n\n", name, plan) // what a benchmark logs is cut
		}
	}
}
