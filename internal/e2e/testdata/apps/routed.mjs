// Builds applications with routers from npm into routed/: one page each, routes that are loaded late, one that fetches what the folder does not have.
import esbuild from "esbuild"; import fs from "fs";
async function app(name, files, {jsxImportSource = "react", loader = "jsx", plugins = [], define = {}} = {}) {
  const dir = "routed/" + name, src = "src/routed-" + name;
  for (const d of [dir + "/assets", src]) fs.mkdirSync(d, {recursive: true});
  for (const [f, text] of Object.entries(files)) fs.writeFileSync(src + "/" + f, text);
  const done = await esbuild.build({entryPoints: [src + "/main." + loader], bundle: true, minify: true, format: "esm", splitting: true, outdir: dir + "/assets", jsx: "automatic", jsxImportSource, loader: {".js": "jsx"}, plugins, conditions: plugins.length ? ["svelte", "browser", "module"] : ["module"],
    entryNames: "[name]-[hash]", chunkNames: "[name]-[hash]", metafile: true, define: {"process.env.NODE_ENV": '"production"', __VUE_OPTIONS_API__: "true", __VUE_PROD_DEVTOOLS__: "false", __VUE_PROD_HYDRATION_MISMATCH_DETAILS__: "false", ...define},
    alias: {vue: "vue/dist/vue.esm-bundler.js"}});
  const main = Object.entries(done.metafile.outputs).find(([, o]) => o.entryPoint)[0].replace("routed/" + name, "");
  fs.writeFileSync(dir + "/index.html", `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${name} boats</title><script type="module" src="${main}"></script></head><body><div id="app"></div></body></html>`);
}
const boat = `fetch("/api/boats/" + id).then((r) => { if (!r.ok) throw new Error("status"); return r.json(); }).then((b) => b.name).catch(() => "cannot be shown just now")`;

await app("react", {"main.jsx": `import {createRoot} from "react-dom/client"; import {lazy, Suspense, useEffect, useState} from "react"; import {BrowserRouter, Routes, Route, Link, useParams} from "react-router-dom";
const Fares = lazy(() => import("./fares.jsx"));
const Boats = () => <><h2>All boats</h2>{[1, 2, 3, 4].map((n) => <Link key={n} to={"/boats/" + n}>Boat {n} </Link>)}</>;
function Boat() { const {id} = useParams(), [name, set] = useState("loading"); useEffect(() => { ${boat}.then(set); }, [id]); return <p>The boat: {name}</p>; }
createRoot(document.getElementById("app")).render(<BrowserRouter><nav><Link to="/">Start</Link> <Link to="/boats">Boats</Link> <Link to="/fares">Fares</Link></nav><Suspense fallback="wait"><Routes><Route path="/" element={<h1>Ferries</h1>}/><Route path="/boats" element={<Boats/>}/><Route path="/boats/:id" element={<Boat/>}/><Route path="/fares" element={<Fares/>}/><Route path="*" element={<p>No such page here</p>}/></Routes></Suspense></BrowserRouter>);`,
  "fares.jsx": `export default () => <p>Fares from four pounds, bicycles free</p>;`});

await app("react-hash", {"main.jsx": `import {createRoot} from "react-dom/client"; import {useEffect, useState} from "react"; import {HashRouter, Routes, Route, Link, useParams} from "react-router-dom";
const Boats = () => <><h2>All boats</h2>{[1, 2].map((n) => <Link key={n} to={"/boats/" + n}>Boat {n} </Link>)}</>;
function Boat() { const {id} = useParams(), [name, set] = useState("loading"); useEffect(() => { ${boat}.then(set); }, [id]); return <p>The boat: {name}</p>; }
createRoot(document.getElementById("app")).render(<HashRouter><nav><Link to="/boats">Boats</Link> <Link to="/fares">Fares</Link></nav><Routes><Route path="/" element={<h1>Ferries</h1>}/><Route path="/boats" element={<Boats/>}/><Route path="/boats/:id" element={<Boat/>}/><Route path="/fares" element={<p>Fares from four pounds</p>}/></Routes></HashRouter>);`});

const vue = (history) => `import {createApp, ref, watch} from "vue"; import {createRouter, ${history}, RouterView, RouterLink, useRoute} from "vue-router";
const Boats = {components: {RouterLink}, template: '<h2>All boats</h2><router-link v-for="n in 3" :key="n" :to="\\'/boats/\\' + n">Boat {{n}} </router-link>'};
const Boat = {template: "<p>The boat: {{name}}</p>", setup() { const name = ref("loading"), route = useRoute(); watch(() => route.params.id, (id) => { if (id) ${boat}.then((n) => { name.value = n; }); }, {immediate: true}); return {name}; }};
const router = createRouter({history: ${history}(), routes: [{path: "/", component: {template: "<h1>Ferries</h1>"}}, {path: "/boats", component: Boats}, {path: "/boats/:id", component: Boat}, {path: "/fares", component: () => import("./fares.js")}, {path: "/:rest(.*)*", component: {template: "<p>No such page here</p>"}}]});
createApp({components: {RouterView, RouterLink}, template: '<nav><router-link to="/boats">Boats</router-link> <router-link to="/fares">Fares</router-link></nav><router-view/>'}).use(router).mount("#app");`;
const fares = {"fares.js": `export default {template: "<p>Fares from four pounds, bicycles free</p>"};`};
await app("vue", {"main.js": vue("createWebHistory"), ...fares}, {loader: "js"});
await app("vue-hash", {"main.js": vue("createWebHashHistory"), ...fares}, {loader: "js"});

await app("wouter", {"main.jsx": `import {createRoot} from "react-dom/client"; import {useEffect, useState} from "react"; import {Router, Route, Switch, Link} from "wouter";
const Boats = () => <><h2>All boats</h2>{[1, 2, 3].map((n) => <Link key={n} href={"/boats/" + n}>Boat {n} </Link>)}</>;
function Boat({id}) { const [name, set] = useState("loading"); useEffect(() => { ${boat}.then(set); }, [id]); return <p>The boat: {name}</p>; }
createRoot(document.getElementById("app")).render(<Router><nav><Link href="/boats">Boats</Link> <Link href="/fares">Fares</Link></nav><Switch><Route path="/"><h1>Ferries</h1></Route><Route path="/boats"><Boats/></Route><Route path="/boats/:id">{(p) => <Boat id={p.id}/>}</Route><Route path="/fares"><p>Fares from four pounds</p></Route><Route>No such page here</Route></Switch></Router>);`});

await app("mithril", {"main.js": `import m from "mithril"; m.route.prefix = "";
const nav = (...inner) => [m("nav", m(m.route.Link, {href: "/boats"}, "Boats"), " ", m(m.route.Link, {href: "/fares"}, "Fares")), ...inner];
let name = "loading";
m.route(document.getElementById("app"), "/", {"/": {view: () => nav(m("h1", "Ferries"))}, "/boats": {view: () => nav(m("h2", "All boats"), [1, 2].map((n) => m(m.route.Link, {href: "/boats/" + n}, "Boat " + n + " ")))},
  "/boats/:id": {oninit: (v) => { const id = v.attrs.id; ${boat}.then((n) => { name = n; m.redraw(); }); }, view: () => nav(m("p", "The boat: " + name))}, "/fares": {view: () => nav(m("p", "Fares from four pounds"))}});`}, {loader: "js"});

await app("preact", {"main.jsx": `import {render} from "preact"; import {useEffect, useState} from "preact/hooks"; import {LocationProvider, Router, Route, ErrorBoundary, lazy} from "preact-iso";
const Fares = lazy(() => import("./fares.jsx"));
const Start = () => <h1>Ferries</h1>;
const Boats = () => <><h2>All boats</h2>{[1, 2, 3].map((n) => <a href={"/boats/" + n}>Boat {n} </a>)}</>;
function Boat({id}) { const [name, set] = useState("loading"); useEffect(() => { ${boat}.then(set); }, [id]); return <p>The boat: {name}</p>; }
render(<LocationProvider><nav><a href="/boats">Boats</a> <a href="/fares">Fares</a></nav><ErrorBoundary><Router><Route path="/" component={Start}/><Route path="/boats" component={Boats}/><Route path="/boats/:id" component={Boat}/><Route path="/fares" component={Fares}/></Router></ErrorBoundary></LocationProvider>, document.getElementById("app"));`,
  "fares.jsx": `export default () => <p>Fares from four pounds, bicycles free</p>;`}, {jsxImportSource: "preact"});

const {compile, compileModule} = await import("svelte/compiler");
const svelte = {name: "svelte", setup(build) {
  build.onLoad({filter: /\.svelte$/}, ({path}) => ({contents: compile(fs.readFileSync(path, "utf8"), {filename: path, generate: "client", css: "injected"}).js.code, loader: "js"}));
  build.onLoad({filter: /\.svelte\.js$/}, ({path}) => ({contents: compileModule(fs.readFileSync(path, "utf8"), {filename: path, generate: "client"}).js.code, loader: "js"}));
}};
await app("svelte-hash", {"main.js": `import {mount} from "svelte"; import App from "./app.svelte"; mount(App, {target: document.getElementById("app")});`,
  "app.svelte": `<script>import Router from "svelte-spa-router"; import Start from "./start.svelte"; import Boats from "./boats.svelte"; import Boat from "./boat.svelte"; import Fares from "./fares.svelte"; const routes = {"/": Start, "/boats": Boats, "/boats/:id": Boat, "/fares": Fares};</script><nav><a href="#/boats">Boats</a> <a href="#/fares">Fares</a></nav><Router {routes}/>`,
  "start.svelte": `<h1>Ferries</h1>`, "boats.svelte": `<h2>All boats</h2>{#each [1, 2] as n}<a href={"#/boats/" + n}>Boat {n}</a> {/each}`,
  "boat.svelte": `<script>let {params = {}} = $props(); let name = $state("loading"); $effect(() => { const id = params.id; ${boat}.then((n) => { name = n; }); });</script><p>The boat: {name}</p>`, "fares.svelte": `<p>Fares from four pounds</p>`},
  {loader: "js", plugins: [svelte]});
