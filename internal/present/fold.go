package present

import (
	"cmp"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"golang.org/x/term"
)

// Widths of lines, in columns.
const (
	leastWidth = 60  // what is narrower is broken by the terminal itself
	mostWidth  = 144 // the widest table
)

// widthOf gives how wide lines may be: what COLUMNS says, or the terminal; 0 for anything else, where lines are as long as they are.
func widthOf(w any) int {
	n := 0
	if f, ok := w.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		n, _, _ = term.GetSize(int(f.Fd()))
	}
	if c, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && c > 0 {
		n = c
	}
	if n <= 0 {
		return 0
	}
	return min(max(n, leastWidth), mostWidth)
}

// folded breaks lines that are wider than width columns at spaces. What follows goes below the last column of the line that begins in its first
// two thirds, or is indented by two more than the line.
func folded(text string, width int) string {
	if width == 0 {
		return text
	}
	parts := strings.Split(text, "\n")
	for i, line := range parts {
		if ansi.StringWidth(line) > width {
			parts[i] = foldLine(line, width)
		}
	}
	return strings.Join(parts, "\n")
}

func foldLine(line string, width int) string {
	plain := []rune(ansi.Strip(line))
	first := 0
	for first < len(plain) && plain[first] == ' ' {
		first++
	}
	begin, indent := first, first+2
	for i := first; i+2 < len(plain) && i < width*2/3; i++ {
		if plain[i] == ' ' && plain[i+1] == ' ' && plain[i+2] != ' ' {
			begin, indent = i+2, i+2
		}
	}
	head, rest := ansi.Truncate(line, begin, ""), ansi.TruncateLeft(line, begin, "")
	return head + wrap(rest, width-indent, indent)
}

// Help writes what a command does and how it is called. Where lines are short, paragraphs are set anew and lists are folded.
func Help(w io.Writer, long, usage string) error {
	width := widthOf(w)
	if width > 0 {
		var out []string
		running := false // the last line can be gone on with
		for line := range strings.SplitSeq(long, "\n") {
			plain := line != "" && line[0] != ' '
			if plain && running {
				out[len(out)-1] += " " + line
			} else {
				out = append(out, line)
			}
			running = plain
		}
		for i, line := range out {
			if line != "" && line[0] != ' ' {
				out[i] = wrap(line, width, 0)
			}
		}
		long, usage = folded(strings.Join(out, "\n"), width), folded(usage, width)
	}
	_, err := io.WriteString(w, strings.TrimRight(long, "\n")+"\n\n"+usage)
	return err
}

// column gives the width of a column: less where lines are short.
func (s *Style) column(wide int) int {
	if s.width > 0 && s.width < 100 {
		return wide * 2 / 3
	}
	return wide
}

// maxListed is how many entries of one kind a summary names.
const maxListed = 8

// brief names paths or addresses. Of many, those of one folder are put together with their number, as deep as that gives few entries.
func brief(names []string) string {
	if len(names) <= maxListed {
		return strings.Join(names, ", ")
	}
	deepest := 0
	for _, n := range names {
		deepest = max(deepest, strings.Count(n, "/"))
	}
	list := names
	for depth := deepest; depth > 0; depth-- {
		folded := byFolder(names, depth)
		if len(folded) <= maxListed {
			return strings.Join(folded, ", ")
		}
		if len(folded) < len(list) {
			list = folded
		}
	}
	if len(list) < len(names) { // the largest folders, and what else there is
		rest := len(names)
		slices.SortStableFunc(list, func(a, b string) int { return cmp.Compare(filesIn(b), filesIn(a)) })
		list = list[:min(len(list), maxListed)]
		for _, l := range list {
			rest -= filesIn(l)
		}
		return strings.Join(list, ", ") + " and " + itoa(rest) + " more"
	}
	return strings.Join(names[:maxListed], ", ") + " and " + itoa(len(names)-maxListed) + " more"
}

// byFolder puts names of one folder together, in the order in which they come; folders are told apart by so many steps of their path.
func byFolder(names []string, depth int) []string {
	var order []string
	of := map[string][]string{}
	for _, n := range names {
		key, at := n, 0
		for range depth {
			i := strings.IndexByte(n[at:], '/')
			if i < 0 {
				break
			}
			at += i + 1
		}
		if at > 1 {
			key = n[:at]
		}
		if of[key] == nil {
			order = append(order, key)
		}
		of[key] = append(of[key], n)
	}
	for i, key := range order {
		if n := len(of[key]); n > 1 {
			order[i] = fmt.Sprintf("%s** (%d)", key, n)
		} else {
			order[i] = of[key][0]
		}
	}
	return order
}

// filesIn is for how many names an entry of a list stands.
func filesIn(entry string) int {
	if _, n, ok := strings.Cut(strings.TrimSuffix(entry, ")"), "** ("); ok {
		if n, err := strconv.Atoi(n); err == nil {
			return n
		}
	}
	return 1
}
