package audit

// Comparison says what has changed since an earlier report.
type Comparison struct {
	New       []string `json:"new"`       // checks with findings that the earlier report does not have
	Gone      []string `json:"gone"`      // checks whose findings are all gone
	Unchanged []string `json:"unchanged"` // checks that fail as before
}

// key tells findings apart without their lines, which move with every edit.
func (f Finding) key() string { return f.File + "\x00" + f.URL + "\x00" + f.Message }

// Against compares the report with an earlier one, and keeps what it finds as its Baseline.
func (r *Report) Against(earlier *Report) {
	old := map[string]map[string]bool{}
	for _, c := range earlier.Checks {
		if c.State == "failed" {
			old[c.ID] = map[string]bool{}
			for _, f := range c.Findings {
				old[c.ID][f.key()] = true
			}
		}
	}
	b := &Comparison{New: []string{}, Gone: []string{}, Unchanged: []string{}}
	now := map[string]bool{}
	for _, c := range r.Checks {
		if c.State != "failed" {
			continue
		}
		now[c.ID] = true
		fresh := false
		for _, f := range c.Findings {
			fresh = fresh || !old[c.ID][f.key()]
		}
		if fresh {
			b.New = append(b.New, c.ID)
		} else {
			b.Unchanged = append(b.Unchanged, c.ID)
		}
	}
	for _, c := range earlier.Checks {
		if c.State == "failed" && !now[c.ID] {
			b.Gone = append(b.Gone, c.ID)
		}
	}
	r.Baseline = b
}
