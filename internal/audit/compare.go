package audit

import "slices"

// Comparison says what has changed since an earlier report.
type Comparison struct {
	New       []string `json:"new"`       // checks with findings that the earlier report does not have
	Gone      []string `json:"gone"`      // checks whose findings are all gone
	Unchanged []string `json:"unchanged"` // checks that fail as before

	had  map[string]map[string]bool // what the earlier report found, by check and key
	lost []Result                   // checks that found something then, with what is not found any more
}

// IsNew says whether the earlier report does not have a finding of a check.
func (c *Comparison) IsNew(check string, f Finding) bool { return !c.had[check][key(f)] }

// Lost gives what the earlier report found and this one does not, by its checks.
func (c *Comparison) Lost() []Result { return c.lost }

// key tells findings apart without their lines, which move with every edit.
func key(f Finding) string { return f.File + "\x00" + f.URL + "\x00" + f.Message }

// Against compares the report with an earlier one, and keeps what it finds as its Baseline.
func (r *Report) Against(earlier *Report) {
	old := map[string]map[string]bool{}
	for _, c := range earlier.Checks {
		if c.State == "failed" {
			old[c.ID] = map[string]bool{}
			for _, f := range c.Findings {
				old[c.ID][key(f)] = true
			}
		}
	}
	b := &Comparison{New: []string{}, Gone: []string{}, Unchanged: []string{}, had: old}
	now, found := map[string]bool{}, map[string]bool{}
	for _, c := range r.Checks {
		if c.State != "failed" {
			continue
		}
		now[c.ID] = true
		fresh := false
		for _, f := range c.Findings {
			fresh = fresh || b.IsNew(c.ID, f)
			found[c.ID+"\x00"+key(f)] = true
		}
		if fresh {
			b.New = append(b.New, c.ID)
		} else {
			b.Unchanged = append(b.Unchanged, c.ID)
		}
	}
	for _, c := range earlier.Checks {
		if c.State != "failed" {
			continue
		}
		if !now[c.ID] {
			b.Gone = append(b.Gone, c.ID)
		}
		c.Findings = slices.DeleteFunc(slices.Clone(c.Findings), func(f Finding) bool { return found[c.ID+"\x00"+key(f)] })
		if len(c.Findings) > 0 {
			b.lost = append(b.lost, c)
		}
	}
	r.Baseline = b
}
