package worker

import (
	"regexp/syntax"
	"slices"
	"strings"
)

// HiddenBy gives the number of an earlier rule that answers everything that the rule with a number is for, or -1. It tries
// addresses made from the rule's pattern, a short one and longer ones, and more that are known to be asked for.
func HiddenBy(rules []Rule, number int, known []string) int {
	r := &rules[number]
	tries := samples(r.Match)
	for _, k := range known {
		if compile(r.Match).MatchString(k) {
			tries = append(tries, k)
		}
	}
	if len(tries) == 0 {
		return -1
	}
	for i := range number {
		e := &rules[i]
		covers := methodOf(e.Method) == methodOf(r.Method) && (len(e.Destinations) == 0 || len(r.Destinations) > 0 &&
			!slices.ContainsFunc(r.Destinations, func(d string) bool { return !slices.Contains(e.Destinations, d) }))
		if covers && !slices.ContainsFunc(tries, func(a string) bool { return !compile(e.Match).MatchString(a) }) {
			return i
		}
	}
	return -1
}

// samples gives texts that a regular expression matches: with repetitions as rarely as they may be, and more often.
func samples(re string) []string {
	tree, err := syntax.Parse(re, syntax.Perl)
	if err != nil {
		return nil
	}
	var out []string
	for times := range 3 {
		var b strings.Builder
		sample(&b, tree, times, 0)
		if s := b.String(); !slices.Contains(out, s) && compile(re).MatchString(s) {
			out = append(out, s)
		}
	}
	return out
}

// sampleLetters are tried in their order where any of a class may stand; unusual ones, so that they meet no other
// pattern's text by chance.
const sampleLetters = "q7zk/"

func sample(b *strings.Builder, r *syntax.Regexp, times, depth int) {
	if depth > 50 || b.Len() > 2000 {
		return
	}
	repeat := func(least int) {
		for range least + times {
			sample(b, r.Sub[0], times, depth+1)
		}
	}
	switch r.Op {
	case syntax.OpLiteral:
		b.WriteString(string(r.Rune))
	case syntax.OpCharClass:
		for _, l := range sampleLetters {
			for i := 0; i+1 < len(r.Rune); i += 2 {
				if l >= r.Rune[i] && l <= r.Rune[i+1] {
					b.WriteRune(l)
					return
				}
			}
		}
		if len(r.Rune) > 0 {
			b.WriteRune(r.Rune[0])
		}
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		b.WriteByte(sampleLetters[0])
	case syntax.OpCapture:
		sample(b, r.Sub[0], times, depth+1)
	case syntax.OpConcat:
		for _, s := range r.Sub {
			sample(b, s, times, depth+1)
		}
	case syntax.OpAlternate:
		sample(b, r.Sub[min(times, len(r.Sub)-1)], times, depth+1)
	case syntax.OpStar:
		repeat(0)
	case syntax.OpPlus:
		repeat(1)
	case syntax.OpQuest:
		if times > 0 {
			sample(b, r.Sub[0], times, depth+1)
		}
	case syntax.OpRepeat:
		repeat(r.Min)
	}
}
