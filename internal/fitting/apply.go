package fitting

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/aymanbagabas/go-udiff"
	"github.com/gofrs/flock"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
)

// batch bounds how much is written before it is made durable and put in place.
const (
	batchFiles = 1000
	batchBytes = 64 << 20
)

// ErrBusy says that another run works on the same site.
var ErrBusy = errors.New("another run of Tachyform is working on this site")

// ErrChanged says that a file changed between planning and writing.
var ErrChanged = errors.New("changed while fit was at work")

// readLimited reads a file that the user named.
func readLimited(name string) ([]byte, error) {
	info, err := os.Stat(name)
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			return nil, pe.Err
		}
		return nil, err
	}
	if info.IsDir() {
		return nil, fmt.Errorf("%w: it is a folder", icon.ErrNotPicture)
	}
	if info.Size() > site.MaxFile {
		return nil, fmt.Errorf("%d bytes are more than is read", info.Size())
	}
	return regular.ReadFile(name, regular.Large)
}

// journal names what an interrupted run may have written; half-written files lie in [sparesDir] only.
type journal struct {
	Format string   `json:"format"`
	Next   *record  `json:"next"`
	Made   []string `json:"made,omitempty"` // folders that were not there
}

// interrupted is what an earlier run left that did not come to its end.
type interrupted struct {
	files   []string // of our own folder
	folders []string // that it made and that are empty, inner ones first
}

// leftovers looks for it. What a run left that others know of, in the record, is none.
func leftovers(root *os.Root) interrupted {
	var out interrupted
	for _, name := range []string{journalFile, lockFile, sparesDir} {
		if _, err := root.Lstat(filepath.FromSlash(name)); err == nil {
			out.files = append(out.files, name)
		}
	}
	var j journal
	if data, err := regular.ReadIn(root, filepath.FromSlash(journalFile), regular.Large); err == nil && json.Unmarshal(data, &j) == nil {
		_, err := root.Lstat(filepath.FromSlash(recordFile))
		bare := errors.Is(err, fs.ErrNotExist)
		for _, d := range j.Made {
			switch {
			case d == originalsDir: // an earlier strip may have left some for somebody: those were there
				if _, err := root.Lstat(filepath.FromSlash(d)); err == nil && bare {
					out.files = append(out.files, d)
				}
			case fs.ValidPath(d) && d != "." && isEmpty(root, d):
				out.folders = append(out.folders, d)
			}
		}
	}
	slices.Sort(out.folders)
	slices.Reverse(out.folders)
	return out
}

func isEmpty(root *os.Root, dir string) bool {
	if about, err := root.Lstat(filepath.FromSlash(dir)); err != nil || !about.IsDir() {
		return false
	}
	d, err := root.Open(filepath.FromSlash(dir))
	if err != nil {
		return false
	}
	defer d.Close()
	_, err = d.Readdirnames(1)
	return errors.Is(err, io.EOF)
}

// made lists the folders that the changes need and that are not there.
func (p *Plan) made() []string {
	missing := map[string]bool{}
	if _, err := p.Site.Root().Lstat(filepath.FromSlash(originalsDir)); errors.Is(err, fs.ErrNotExist) {
		missing[originalsDir] = true
	}
	for _, c := range p.Changes {
		for d := path.Dir(c.Path); d != "." && !missing[d]; d = path.Dir(d) {
			if _, err := p.Site.Root().Lstat(filepath.FromSlash(d)); !errors.Is(err, fs.ErrNotExist) {
				break
			}
			missing[d] = true
		}
	}
	return slices.Sorted(maps.Keys(missing))
}

// recoverRecord reads the record. When an earlier run was interrupted, it believes of its intentions what really
// happened.
func recoverRecord(s *site.Site) (*record, error) {
	rec, err := recordOf(s)
	if err != nil {
		return nil, err
	}
	data, err := regular.ReadIn(s.Root(), filepath.FromSlash(journalFile), regular.Large)
	if errors.Is(err, fs.ErrNotExist) {
		return rec, nil
	}
	var j journal
	if err != nil || json.Unmarshal(data, &j) != nil || j.Next == nil {
		return rec, nil // a journal cut off while it was written: nothing was done after it
	}
	for p, want := range j.Next.Files {
		if !fs.ValidPath(p) {
			continue
		}
		if now, err := regular.ReadIn(s.Root(), filepath.FromSlash(p), regular.Large); err == nil && digest(now) == want.SHA256 {
			rec.Files[p] = want
		}
	}
	return rec, nil
}

// preflight looks for files and folders that cannot be written, before anything is.
func (p *Plan) preflight() error {
	var bad []string
	seen := map[string]bool{}
	for _, c := range p.Changes {
		if c.Exists && c.mode&0o200 == 0 {
			bad = append(bad, c.Path+" is read-only")
		}
		dir := path.Dir(c.Path)
		if seen[dir] {
			continue
		}
		seen[dir] = true
		for d := dir; d != "."; d = path.Dir(d) {
			if about, err := p.Site.Root().Lstat(filepath.FromSlash(d)); err == nil && !about.IsDir() {
				if to, err := p.Site.Root().Stat(filepath.FromSlash(d)); err != nil || !to.IsDir() { // a link to a folder inside is one
					bad = append(bad, d+" is "+cmp.Or(map[bool]string{true: "a file"}[about.Mode().IsRegular()], regular.Kind(about.Mode()))+", and not a folder of the site")
				}
			}
		}
		if info, err := p.Site.Root().Stat(filepath.FromSlash(dir)); err == nil && info.Mode().Perm()&0o200 == 0 {
			bad = append(bad, "the folder "+dir+" is read-only")
		}
	}
	if len(bad) == 0 {
		return nil
	}
	more := ""
	if len(bad) > 5 {
		more = fmt.Sprintf(" and %d more", len(bad)-5)
		bad = bad[:5]
	}
	return fmt.Errorf("nothing was written, because %s%s", strings.Join(bad, ", "), more)
}

// Apply writes the plan's changes. On an error it says how far it came; running it again completes the work.
func (p *Plan) Apply(ctx context.Context, progress func(done, total int)) error {
	return p.locked(func() error { return p.apply(ctx, progress) })
}

// ApplyLayout puts the tags into the template that all pages share, whole or not at all. What they name has to be there by then.
func (p *Plan) ApplyLayout() error {
	if p.Rendered == nil || p.Rendered.Layout == nil {
		return nil
	}
	return p.Rendered.Layout.write()
}

// sound says whether what stands where our own files do is a folder with files: what is opened by its name could lie anywhere.
func sound(root *os.Root) error {
	about, err := root.Lstat(site.OwnDir)
	if err != nil {
		return nil // it is made
	}
	if !about.IsDir() {
		return fmt.Errorf("%s is %s, and not a folder; remove it", site.OwnDir, regular.Kind(about.Mode()))
	}
	for _, name := range []string{lockFile, journalFile, recordFile, ignoreFile} {
		if about, err := root.Lstat(filepath.FromSlash(name)); err == nil && !about.Mode().IsRegular() {
			return fmt.Errorf("%s is %s, and not a file; remove it", name, regular.Kind(about.Mode()))
		}
	}
	return nil
}

// locked does work on a site while nobody else does.
func (p *Plan) locked(work func() error) (err error) {
	root := p.Site.Root()
	if err := p.preflight(); err != nil {
		return err
	}
	if err := sound(root); err != nil {
		return fmt.Errorf("nothing was written: %w", err)
	}
	if err := root.MkdirAll(site.OwnDir, 0o755); err != nil {
		return fmt.Errorf("nothing was written: %w", err)
	}
	lock := flock.New(filepath.Join(p.Site.Dir, filepath.FromSlash(lockFile)))
	ok, err := lock.TryLock()
	if err != nil {
		return fmt.Errorf("nothing was written: the lock: %w", err)
	}
	if !ok {
		return fmt.Errorf("nothing was written: %w", ErrBusy)
	}
	if was, err := regular.ReadIn(root, filepath.FromSlash(ignoreFile), regular.Small); err != nil || string(was) != ignored {
		_ = root.WriteFile(filepath.FromSlash(ignoreFile), []byte(ignored), 0o644) // without it nothing is lost
	}
	brought := false
	defer func() {
		if brought { // else what lies apart is all that there is
			if e := takeApart(p.Site); e != nil {
				err = errors.Join(err, fmt.Errorf("the record stays in %s: %w", filepath.Join(p.Site.Dir, site.OwnDir), e))
			}
		}
		clean(root)
		_ = root.Remove(filepath.FromSlash(lockFile))
		_ = lock.Unlock()
		if d, err := root.Open(site.OwnDir); err == nil {
			names, err := d.Readdirnames(2)
			_ = d.Close()
			if len(names) == 1 && names[0] == path.Base(ignoreFile) && (err == nil || errors.Is(err, io.EOF)) { // nothing else is left
				_ = root.Remove(filepath.FromSlash(ignoreFile))
			}
		}
		_ = root.Remove(site.OwnDir) // only when it is empty
	}()
	if err := bringIn(p.Site); err != nil {
		return fmt.Errorf("nothing was written: %w", err)
	}
	brought = true
	return work()
}

// apply writes under the lock.
func (p *Plan) apply(ctx context.Context, progress func(done, total int)) error {
	root := p.Site.Root()
	clean(root)
	if len(p.Changes) == 0 && (p.strip || p.record.Adopted == "" && string(p.record.bytes()) == string(p.next.bytes())) {
		_ = root.Remove(filepath.FromSlash(journalFile))
		return nil
	}
	next := p.next
	if p.strip { // until strip is through, what fit wrote stays known
		next = p.record
	}
	j := journal{Format: journalFormat, Next: next, Made: p.made()}
	var before journal // of a run that was interrupted: what it made is made
	if data, err := regular.ReadIn(root, filepath.FromSlash(journalFile), regular.Large); err == nil && json.Unmarshal(data, &before) == nil {
		j.Made = append(j.Made, before.Made...)
		slices.Sort(j.Made)
		j.Made = slices.Compact(j.Made)
	}
	data, err := json.Marshal(j)
	if err != nil {
		return err
	}
	if err := replace(root, journalFile, data, 0o644); err != nil {
		return fmt.Errorf("nothing was written: the journal: %w", err)
	}
	done, err := p.write(ctx, progress)
	if err != nil {
		return fmt.Errorf("%w; %d of %d files were written, each whole: run it again to complete the work", err, done, len(p.Changes))
	}
	if p.strip {
		return nil
	}
	if err := replace(root, recordFile, p.next.bytes(), 0o644); err != nil {
		return fmt.Errorf("the record: %w; all files were written: run fit again to complete it", err)
	}
	_ = root.Remove(filepath.FromSlash(journalFile))
	return nil
}

// clean removes what an interrupted run left.
func clean(root *os.Root) { _ = root.RemoveAll(filepath.FromSlash(sparesDir)) }

// tempName is where a small file lies until it is complete.
func tempName(p string) string { return path.Join(sparesDir, quick([]byte(p))) }

// write puts the changes in place, batch by batch: all of a batch is durable before the first file is replaced.
//
// Making a file is dear, so that files are used again where the system can exchange two names: what a page was becomes
// the spare file that a later batch writes to, once its exchange is
// durable too, so that even a power cut finds each page old or new.
func (p *Plan) write(ctx context.Context, progress func(done, total int)) (int, error) {
	spare, err := p.Site.Spares(sparesDir)
	if err != nil {
		return 0, err
	}
	defer spare.Close()
	batches := p.batches()
	prepare := func(n int) error {
		if n == len(batches) {
			return nil
		}
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		rank := p.ranks(batches[n])
		for i, c := range batches[n] {
			g.Go(func() error { return p.prepare(ctx, c, spare, spareName(n, rank[i])) })
		}
		return g.Wait()
	}
	if err := prepare(0); err != nil {
		return 0, err
	}
	done := 0
	for n, batch := range batches {
		var next errgroup.Group // while the disk is busy with this batch
		next.Go(func() error { return prepare(n + 1) })
		err := syncAll(p.Site.Dir)
		rank := p.ranks(batch)
		for i := 0; err == nil && i < len(batch); i++ {
			if err = spare.Place(spareName(n, rank[i]), batch[i].Path); err == nil {
				done++
			} else {
				err = fmt.Errorf("%s: %w", batch[i].Path, err)
			}
		}
		if e := next.Wait(); err == nil {
			err = e
		}
		if err != nil {
			return done, err
		}
		if progress != nil {
			progress(done, len(p.Changes))
		}
	}
	return done, nil
}

// spareName names the spare file of a change. The names of a batch come up again three batches later: by then a sync
// that began after the batch was put in place is through.
func spareName(batch, i int) string { return fmt.Sprintf("%d-%d", batch%3, i) }

// ranks orders the changes of a batch by the size of what is there. Spare files go by rank, so that each is written again
// with about as many bytes as it had: making a file shorter is slow where the disk is told of every freed block.
func (p *Plan) ranks(batch []Change) []int {
	order := make([]int, len(batch))
	sizes := make([]int64, len(batch))
	for i, c := range batch {
		order[i] = i
		if f, ok := p.Site.File(c.Path); ok {
			sizes[i] = f.Size
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(sizes[a], sizes[b]) })
	rank := make([]int, len(batch))
	for r, i := range order {
		rank[i] = r
	}
	return rank
}

// batches divides the changes, which stay in order.
func (p *Plan) batches() [][]Change {
	var out [][]Change
	for rest := p.Changes; len(rest) > 0; {
		n, total := 0, int64(0)
		for n < len(rest) && n < batchFiles && total < batchBytes {
			if f, ok := p.Site.File(rest[n].Path); ok {
				total += f.Size
			}
			n++
		}
		out = append(out, rest[:n])
		rest = rest[n:]
	}
	return out
}

// prepare writes one change into a spare file.
func (p *Plan) prepare(ctx context.Context, c Change, spare *site.Spares, name string) error {
	if err := ctx.Err(); err != nil {
		return fmt.Errorf("interrupted: %w", err)
	}
	root := p.Site.Root()
	data := c.data
	if c.Exists {
		buf := buffers.Get().(*[]byte)
		defer buffers.Put(buf)
		old, err := p.Site.ReadInto(c.Path, *buf)
		*buf = old
		if err != nil {
			return err
		}
		if c.Kind == "page" && quick(old) != c.old || c.Kind != "page" && digest(old) != c.old {
			return fmt.Errorf("%s: %w", c.Path, ErrChanged)
		}
		if c.Kind == "page" {
			out := buffers.Get().(*[]byte)
			defer buffers.Put(out)
			if s := c.splice; s != nil && s.at <= len(old) { // old is what the survey saw, as its digest says
				*out = append(append(append((*out)[:0], old[:s.at]...), s.insertion...), old[s.at:]...)
				data = *out
			} else if data, err = p.edited(c, old); err != nil {
				return err
			}
		}
		if c.keep {
			if err := keepOriginal(root, c.old, old); err != nil {
				return err
			}
		}
	} else if err := root.MkdirAll(filepath.FromSlash(path.Dir(c.Path)), 0o755); err != nil {
		return fmt.Errorf("%s: %w", c.Path, err)
	}
	if err := spare.Write(name, data, fs.FileMode(c.mode)); err != nil {
		return fmt.Errorf("%s: %w", c.Path, err)
	}
	return nil
}

func (p *Plan) edited(c Change, old []byte) ([]byte, error) {
	if p.strip {
		out, _, err := pagehead.Remove(old)
		return out, err
	}
	if p.left == nil {
		panic("the plan is not complete")
	}
	if p.left[c.Path] { // what an earlier fit inserted is taken out again
		out, _, err := pagehead.Remove(old)
		return out, err
	}
	file, _ := p.Site.File(c.Path)
	out, _, err := p.fitter.edit(c.Path, file.URL, old)
	return out, err
}

func keepOriginal(root *os.Root, sum string, data []byte) error {
	if err := root.MkdirAll(filepath.FromSlash(originalsDir), 0o755); err != nil {
		return fmt.Errorf("keeping an original: %w", err)
	}
	return replace(root, originalPath(sum), data, 0o644)
}

// replace writes a small file: new bytes beside it, made durable, then renamed.
func replace(root *os.Root, p string, data []byte, mode uint32) error {
	if err := root.MkdirAll(filepath.FromSlash(sparesDir), 0o755); err != nil {
		return err
	}
	t := tempName(p)
	if err := writeNew(root, t, data, mode, true); err != nil {
		return err
	}
	return root.Rename(filepath.FromSlash(t), filepath.FromSlash(p))
}

func writeNew(root *os.Root, p string, data []byte, mode uint32, durable bool) error {
	f, err := root.OpenFile(filepath.FromSlash(p), os.O_WRONLY|os.O_CREATE|os.O_TRUNC, fs.FileMode(mode)|0o200)
	if err != nil {
		return err
	}
	if _, err = f.Write(data); err == nil {
		err = f.Chmod(fs.FileMode(mode))
	}
	if err == nil && durable {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		_ = root.Remove(filepath.FromSlash(p))
	}
	return err
}

// Diff writes the plan as a unified diff. Pictures are only named.
func (p *Plan) Diff(w io.Writer) error {
	for _, c := range p.Changes {
		var old []byte
		from := "/dev/null"
		if c.Exists {
			var err error
			if old, err = p.Site.Read(c.Path); err != nil {
				return err
			}
			from = "a/" + c.Path
		}
		if c.Kind == "icon" || c.Kind == "launch picture" || c.Kind == "screenshot" {
			if _, err := fmt.Fprintf(w, "Binary file b/%s would be written (%d bytes)\n", c.Path, len(c.data)); err != nil {
				return err
			}
			continue
		}
		data := c.data
		if c.Kind == "page" {
			var err error
			if data, err = p.edited(c, old); err != nil {
				return err
			}
		}
		if _, err := io.WriteString(w, udiff.Unified(from, "b/"+c.Path, string(old), string(data))); err != nil {
			return err
		}
	}
	if p.Rendered != nil && p.Rendered.Layout != nil && p.Rendered.Layout.Changed {
		l := p.Rendered.Layout
		_, err := io.WriteString(w, udiff.Unified("a/"+l.File, "b/"+l.File, string(l.old), string(l.data)))
		return err
	}
	return nil
}
