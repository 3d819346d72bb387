// URLs after the URL Standard, sections 4.3 to 4.5 (parsing and serializing), 5 (forms) and 6 (the API), written from its rules.
const cases = [];
const base = "https://skerry.example/a/b?q#f";
for (const [input, href] of [
  ["", "https://skerry.example/a/b?q"], ["c", "https://skerry.example/a/c"], ["./c", "https://skerry.example/a/c"], ["../c", "https://skerry.example/c"],
  ["../../../c", "https://skerry.example/c"], ["/c", "https://skerry.example/c"], ["//other.example/c", "https://other.example/c"], ["?x", "https://skerry.example/a/b?x"],
  ["#x", "https://skerry.example/a/b?q#x"], ["  c\t", "https://skerry.example/a/c"], ["c\nd", "https://skerry.example/a/cd"], ["\\c", "https://skerry.example/c"],
  ["a\\b", "https://skerry.example/a/a/b"], ["%2e%2E/c", "https://skerry.example/c"], ["a/./b/../c", "https://skerry.example/a/a/c"], ["a b", "https://skerry.example/a/a%20b"],
  ["ä", "https://skerry.example/a/%C3%A4"], ["%zz", "https://skerry.example/a/%zz"], ["?ä b'", "https://skerry.example/a/b?%C3%A4%20b%27"], ["#ä b`", "https://skerry.example/a/b?q#%C3%A4%20b%60"],
  ["a\"<>`{}", "https://skerry.example/a/a%22%3C%3E%60%7B%7D"], ["?a\"<>`{}", "https://skerry.example/a/b?a%22%3C%3E`{}"], ["b^c", "https://skerry.example/a/b%5Ec"],
  ["HTTPS://SKERRY.Example:443/X", "https://skerry.example/X"], ["http://a.example:80/", "http://a.example/"], ["http://a.example:8080", "http://a.example:8080/"],
  ["https:c", "https://skerry.example/a/c"], ["http:c", "http://c/"], ["http:///a.example//b", "http://a.example//b"], ["https://a.example/?", "https://a.example/?"],
  ["https://u:p@a.example/", "https://u:p@a.example/"], ["https://a.example:/", "https://a.example/"], ["https://a.example:00443/", "https://a.example/"],
  ["https://bücher.example/", "https://xn--bcher-kva.example/"], ["https://FAß.example/", "https://xn--fa-hia.example/"], ["https://%41.example/", "https://a.example/"],
  ["http://127.1/", "http://127.0.0.1/"], ["http://0x7f.0.0.1/", "http://127.0.0.1/"], ["http://3232235777/", "http://192.168.1.1/"], ["http://[::1]:8080/", "http://[::1]:8080/"],
  ["http://[2001:DB8:0:0:1:0:0:1]/", "http://[2001:db8::1:0:0:1]/"], ["mailto:a@b.example", "mailto:a@b.example"], ["data:text/plain,a b", "data:text/plain,a b"],
  ["javascript:1", "javascript:1"], ["blob:https://a.example/1", "blob:https://a.example/1"], ["about:blank#x", "about:blank#x"],
  ["https://a.example:99999/", null], ["https://a.example:x/", null], ["https://", null], ["https://a<b/", null], ["http://[::1", null], ["http://256.1.1.1/", null], ["http://1.2.3.4.5/", null], ["https://%zz/", null],
]) cases.push(["parse " + JSON.stringify(input), () => { try { return new URL(input, base).href; } catch (e) { return e instanceof TypeError ? null : e.name; } }, href],
  ["canParse " + JSON.stringify(input), () => URL.canParse(input, base), href !== null]);
for (const [start, part, value, href] of [
  ["https://a.example/p?q#f", "pathname", "x y", "https://a.example/x%20y?q#f"], ["https://a.example/p?q#f", "search", "", "https://a.example/p#f"], ["https://a.example/p", "search", "a b", "https://a.example/p?a%20b"],
  ["https://a.example/p", "hash", "x", "https://a.example/p#x"], ["https://a.example/p#f", "hash", "", "https://a.example/p"], ["https://a.example/p", "port", "8080", "https://a.example:8080/p"],
  ["https://a.example:1/p", "port", "443", "https://a.example/p"], ["https://a.example:1/p", "port", "", "https://a.example/p"], ["https://a.example:1/p", "port", "9x", "https://a.example:9/p"], ["https://a.example:1/p", "port", "x", "https://a.example:1/p"],
  ["https://a.example/p", "protocol", "http", "http://a.example/p"], ["https://a.example/p", "protocol", "mailto", "https://a.example/p"], ["https://a.example/p", "host", "b.example:7", "https://b.example:7/p"],
  ["https://a.example:1/p", "hostname", "b.example", "https://b.example:1/p"], ["https://a.example/p", "hostname", "", "https://a.example/p"], ["https://a.example/p", "username", "ü:", "https://%C3%BC%3A@a.example/p"],
  ["https://a.example/p", "password", "s", "https://:s@a.example/p"], ["mailto:x", "pathname", "/y", "mailto:x"], ["https://a.example/p", "href", "https://b.example", "https://b.example/"],
]) cases.push(["set " + part + " of " + start + " to " + JSON.stringify(value), () => { const u = new URL(start); u[part] = value; return u.href; }, href]);
const u = () => new URL("https://u:p@a.example:8080/p/q?x=1#f");
for (const [part, want] of Object.entries({protocol: "https:", username: "u", password: "p", host: "a.example:8080", hostname: "a.example", port: "8080", pathname: "/p/q", search: "?x=1", hash: "#f", origin: "https://a.example:8080"}))
  cases.push([part, () => u()[part], want]);
cases.push(
  ["origin of others", () => ["data:x", "mailto:x"].map((x) => new URL(x).origin).join(), "null,null"],
  ["origin of a blob", () => new URL("blob:https://a.example/1").origin, "https://a.example"],
  ["an empty search or hash is nothing", () => { const x = new URL("https://a.example/?#"); return x.search + "|" + x.hash + "|" + x.href; }, "||https://a.example/?#"],
  ["bad href throws", () => { u().href = "no"; }, "threw TypeError"],
  ["URL.parse", () => URL.parse("no") === null && URL.parse("x", "https://a.example").href, "https://a.example/x"],
  ["toJSON", () => JSON.stringify({u: new URL("https://a.example")}), "{\"u\":\"https://a.example/\"}"],
);
for (const [init, want] of [
  ["a=1&b=2", "a=1&b=2"], ["?a=1", "a=1"], ["??a=1", "%3Fa=1"], ["a", "a="], ["=1", "=1"], ["&&a=1&", "a=1"], ["a=b=c", "a=b%3Dc"], ["a+b=c%20d", "a+b=c+d"], ["a=%", "a=%25"], ["a=%zz", "a=%25zz"], ["a=%ff", "a=%EF%BF%BD"],
  ["ä=ö", "%C3%A4=%C3%B6"], ["a=*-._~!'()", "a=*-._%7E%21%27%28%29"], ["a=\u0000", "a=%00"], [[["a", "1"], ["a", "2"]], "a=1&a=2"], [{b: "2", a: "1"}, "b=2&a=1"], [new URLSearchParams("x=y"), "x=y"], ["", ""], [undefined, ""],
]) cases.push(["parameters " + JSON.stringify(init), () => new URLSearchParams(init).toString(), want]);
cases.push(
  ["pairs of three", () => { new URLSearchParams([["a", "b", "c"]]); }, "threw TypeError"],
  ["sort keeps equal names in order", () => { const p = new URLSearchParams("z=1&a=2&z=0&a=1"); p.sort(); return p.toString(); }, "a=2&a=1&z=1&z=0"],
  ["sort by code units", () => { const p = new URLSearchParams("\uffff=1&\ud83d\ude00=2"); p.sort(); return [...p.keys()].map((k) => k.length).join(); }, "2,1"],
  ["set replaces the first and drops the rest", () => { const p = new URLSearchParams("a=1&b=2&a=3"); p.set("a", "9"); return p.toString(); }, "a=9&b=2"],
  ["delete by value", () => { const p = new URLSearchParams("a=1&a=2"); p.delete("a", "1"); return p.toString() + p.has("a", "2") + p.has("a", "1"); }, "a=2truefalse"],
  ["get of what is missing", () => new URLSearchParams("a").get("b"), null],
  ["size", () => new URLSearchParams("a&a&b").size, 3],
  ["the URL follows", () => { const x = new URL("https://a.example/?a=1"); x.searchParams.append("b", "ä "); return x.href; }, "https://a.example/?a=1&b=%C3%A4+"],
  ["and is followed", () => { const x = new URL("https://a.example/?a=1"); const p = x.searchParams; x.search = "?c=3"; return p.get("c") + p.has("a"); }, "3false"],
  ["the last parameter takes the mark with it", () => { const x = new URL("https://a.example/?a=1"); x.searchParams.delete("a"); return x.href; }, "https://a.example/"],
  ["searchParams is the same object", () => { const x = new URL("https://a.example/"); return x.searchParams === x.searchParams; }, true],
);
