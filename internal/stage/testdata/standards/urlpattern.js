// URL patterns after the URL Pattern Standard: parsing of pattern strings, constructor strings, matching and groups.
const cases = [];
const site = "https://skerry.example";
const groups = (r) => r === null ? null : JSON.stringify(Object.fromEntries(Object.entries(r.pathname.groups).sort()));
for (const [pathname, path, want] of [
  ["/fares", "/fares", "{}"], ["/fares", "/fares/", null], ["/fares", "/Fares", null], ["/fares", "/x/fares", null],
  ["/:harbour", "/uig", "{\"harbour\":\"uig\"}"], ["/:harbour", "/uig/", null], ["/:harbour", "/", null], ["/:harbour/:day", "/uig/1", "{\"day\":\"1\",\"harbour\":\"uig\"}"],
  ["/:harbour?", "/", null], ["/a/:harbour?", "/a", "{}"], ["/a/:harbour?", "/a/uig", "{\"harbour\":\"uig\"}"], ["/a/:harbour?", "/a/", null], ["/:path+", "/a/b", "{\"path\":\"a/b\"}"], ["/:path+", "/", null],
  ["/x/:path*", "/x", "{}"], ["/x/:path*", "/x/a/b/c", "{\"path\":\"a/b/c\"}"], ["/x/:path*", "/xa", null],
  ["/*", "/a/b", "{\"0\":\"a/b\"}"], ["/*", "/", "{\"0\":\"\"}"], ["/a/*", "/a", null], ["/a/*/c", "/a/b/b/c", "{\"0\":\"b/b\"}"], ["/*/*", "/a/b/c", "{\"0\":\"a/b\",\"1\":\"c\"}"], ["*", "/x", "{\"0\":\"/x\"}"],
  ["/:n(\\d+)", "/12", "{\"n\":\"12\"}"], ["/:n(\\d+)", "/1a", null], ["/(\\d+)", "/7", "{\"0\":\"7\"}"], ["/(a|b)", "/b", "{\"0\":\"b\"}"], ["/:f(.*).css", "/a/b.css", "{\"f\":\"a/b\"}"],
  ["/{a}?b", "/b", "{}"], ["/{a}?b", "/ab", "{}"], ["/{a}*b", "/aab", "{}"], ["/{a}+b", "/b", null], ["/x{/:y}?", "/x", "{}"], ["/x{/:y}?", "/x/1", "{\"y\":\"1\"}"], ["/{:a.}?b", "/x.b", "{\"a\":\"x\"}"],
  ["/a\\:b", "/a:b", "{}"], ["/a\\*", "/a*", "{}"], ["/a\\*", "/ab", null], ["/:a-:b", "/x-y", "{\"a\":\"x\",\"b\":\"y\"}"], ["/:a.json", "/x.json", "{\"a\":\"x\"}"],
  ["/ä", "/ä", "{}"], ["/ä", "/%C3%A4", "{}"], ["/a b", "/a%20b", "{}"], ["/:ü", "/x", "{\"ü\":\"x\"}"], ["/a/../b", "/b", "{}"],
  ["/(.*)", "/a/b", "{\"0\":\"a/b\"}"], ["/:a(x)?/y", "/y", "{}"], ["/:a(x)?/y", "/x/y", "{\"a\":\"x\"}"],
]) cases.push(["exec " + pathname + " on " + path, () => groups(new URLPattern({pathname}).exec(site + path)), want],
  ["test " + pathname + " on " + path, () => new URLPattern({pathname}).test(site + path), want !== null]);
for (const bad of ["/:", "/(", "/(a", "/{a", "/:a:a", "/(?<x>a)", "/a)", "/*?+", "/:a(", "/()"])
  cases.push(["bad " + bad, () => { new URLPattern({pathname: bad}); return "made"; }, bad === "/a)" ? "made" : "threw TypeError"]);
for (const [pattern, base, input, want] of [
  ["/fares/*", site, site + "/fares/x", true], ["/fares/*", site, "https://other.example/fares/x", false], ["/fares/*", site, site + "/fares/x?y", true], ["/fares", site, site + "/fares?y", true], ["/fares?*", site, site + "/fares?y", true],
  ["https://*.example/a", undefined, "https://skerry.example/a", true], ["https://*.example/a", undefined, "http://skerry.example/a", false], ["http{s}?://skerry.example/a", undefined, "http://skerry.example/a", true],
  ["https://skerry.example:8443/*", undefined, "https://skerry.example:8443/x", true], ["https://skerry.example:8443/*", undefined, "https://skerry.example/x", false], ["https://skerry.example/*", undefined, "https://skerry.example:443/x", true],
  ["https://skerry.example/a#top", undefined, "https://skerry.example/a#top", true], ["https://skerry.example/a#top", undefined, "https://skerry.example/a", false], ["*://*/*.png", undefined, "https://a.example/x/y.png", true], ["sub/*", site + "/dir/", site + "/dir/sub/x", true],
  ["?a=:v", site + "/x", site + "/x?a=1", true], ["#:h", site + "/x", site + "/x#y", true], ["https://skerry.example/a?x=1", undefined, "https://skerry.example/a?x=1", true], ["data\\:text/*", undefined, "data:text/plain", true],
]) cases.push(["string " + pattern + (base ? " at " + base : "") + " on " + input, () => (base ? new URLPattern(pattern, base) : new URLPattern(pattern)).test(input), want]);
cases.push(
  ["no base for a relative string", () => { new URLPattern("/x"); }, "threw TypeError"],
  ["nothing matches everything", () => new URLPattern().test("https://a.example/x?y#z"), true],
  ["parts that are not given match everything", () => { const p = new URLPattern({pathname: "/a"}); return [p.protocol, p.hostname, p.port, p.search, p.hash].join(); }, "*,*,*,*,*"],
  ["a base gives what comes before", () => { const p = new URLPattern({pathname: "/b", baseURL: site + "/a?q"}); return [p.protocol, p.hostname, p.port, p.pathname, p.search].join(); }, "https,skerry.example,,/b,*"],
  ["a relative path and its base", () => new URLPattern({pathname: "b", baseURL: site + "/a/c"}).pathname, "/a/b"],
  ["a default port is no port", () => new URLPattern({protocol: "https", port: "443"}).port, ""],
  ["search without its mark", () => new URLPattern({search: "?a=1"}).test(site + "/?a=1"), true],
  ["ignoreCase", () => new URLPattern({pathname: "/Fares"}, {ignoreCase: true}).test(site + "/fARES"), true],
  ["exec of parts", () => new URLPattern({pathname: "/:a"}).exec({pathname: "/x"}).pathname.groups.a, "x"],
  ["exec says what was matched", () => { const r = new URLPattern({hostname: ":sub.example"}).exec("https://skerry.example/p"); return r.hostname.input + r.hostname.groups.sub + r.pathname.input; }, "skerry.exampleskerry/p"],
  ["test with a base", () => new URLPattern({pathname: "/a/b"}).test("b", site + "/a/"), true],
  ["no URL is no match", () => new URLPattern({pathname: "/*"}).test("no url"), false],
  ["hasRegExpGroups", () => [new URLPattern({pathname: "/:a"}).hasRegExpGroups, new URLPattern({pathname: "/(a)"}).hasRegExpGroups].join(), "false,true"],
  ["patterns are normalised", () => new URLPattern({pathname: "/a/(.*)"}).pathname, "/a/*"],
  ["host names are lower case", () => new URLPattern({hostname: "SKERRY.example"}).hostname, "skerry.example"],
);
