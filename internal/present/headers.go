package present

import "tachyform.dev/tachyform/internal/hosting"

// HostFiles writes the files of a host's configuration; more than one with their names before them.
func (s *Style) HostFiles(files []hosting.Output) error {
	for i, f := range files {
		if len(files) > 1 {
			if i > 0 {
				s.printf("\n")
			}
			s.printf("# ---- %s\n", f.Name)
		}
		s.printf("%s", f.Text)
	}
	return s.err
}
