package run

import (
	"context"
	"runtime/debug"

	"tachyform.dev/tachyform/internal/routes"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// Applications finds the applications of a site by running their pages, as the configuration says the server answers.
func (w *Work) Applications(s *site.Site) func(context.Context, *survey.Inventory) ([]survey.Application, []string, error) {
	return func(ctx context.Context, inv *survey.Inventory) ([]survey.Application, []string, error) {
		if s.IsLive() || s.IsRendered() {
			return nil, nil, nil
		}
		step, end := w.progress("Running")
		defer end()
		found, err := w.applicationsOf(ctx, s, inv, step)
		if err != nil {
			return nil, nil, err
		}
		return found.Applications, found.Remarks, nil
	}
}

func (w *Work) applicationsOf(ctx context.Context, s *site.Site, inv *survey.Inventory, step func(done, total int)) (*routes.Found, error) {
	rules, err := w.Config.SiteRules()
	if err != nil {
		return nil, input(err)
	}
	others, err := w.Config.Origins()
	if err != nil {
		return nil, input(err)
	}
	debug.SetMemoryLimit(rehearsalMemory)
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // pages make much that is soon of no use
	return routes.Find(ctx, site.NewServer(s, rules), others, inv, routes.Options{Fallback: rules.Fallback, Limits: w.limits(), Progress: step})
}
