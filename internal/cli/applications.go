package cli

import (
	"context"
	"runtime/debug"

	"tachyform/internal/config"
	"tachyform/internal/routes"
	"tachyform/internal/site"
	"tachyform/internal/survey"
)

// applications finds the applications of a site by running their pages, as the configuration says the server answers.
func (a *app) applications(c *config.Config, s *site.Site) func(context.Context, *survey.Inventory) ([]survey.Application, []string, error) {
	return func(ctx context.Context, inv *survey.Inventory) ([]survey.Application, []string, error) {
		if s.IsLive() {
			return nil, nil, nil
		}
		step, end := a.progress("Running")
		defer end()
		found, err := applicationsOf(ctx, c, s, inv, step)
		if err != nil {
			return nil, nil, err
		}
		return found.Applications, found.Remarks, nil
	}
}

func applicationsOf(ctx context.Context, c *config.Config, s *site.Site, inv *survey.Inventory, step func(done, total int)) (*routes.Found, error) {
	rules, err := c.SiteRules()
	if err != nil {
		return nil, usage(err)
	}
	others, err := c.Origins()
	if err != nil {
		return nil, usage(err)
	}
	debug.SetMemoryLimit(rehearsalMemory)
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // pages make much that is soon of no use
	return routes.Find(ctx, site.NewServer(s, rules), others, inv, routes.Options{Fallback: rules.Fallback, Progress: step})
}
