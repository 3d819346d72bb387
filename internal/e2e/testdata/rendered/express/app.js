// The ferry company's site, made by Express: views of embedded JavaScript, files of a folder below /assets/.
const express = require("express");
const { readFileSync } = require("fs");
const { join } = require("path");

const app = express();
app.set("views", join(__dirname, "views"));
app.set("view engine", "ejs");
app.use("/assets", express.static(join(__dirname, "assets"), { setHeaders: (res, file) => file.endsWith("sw.js") && res.set("Service-Worker-Allowed", "/") }));
const user = (req) => (/user=(\w+)/.exec(req.headers.cookie || "") || ["", ""])[1];
const page = (title, more = {}) => (req, res) => {
  if (more.varies) res.set("Vary", "Cookie");
  res.status(more.status || 200).render(more.view || "page", { title, edition: readFileSync(join(__dirname, "edition.txt"), "utf8").trim(), who: more.nobody ? "" : user(req), token: more.token ? Math.random().toString(36).slice(2) : "" });
};
app.get("/", page("Skerry Line"));
app.get("/timetable/", page("Timetable"));
app.get("/harbours/staffin/", page("Staffin"));
app.get("/harbours/rona/", page("Rona"));
app.get("/greet/", page("Greetings", { varies: true }));
app.get("/book/", page("Book", { token: true }));
app.get("/news/", page("News", { view: "news", nobody: true }));
app.get("/account/", (req, res) => {
  if (!user(req)) return res.redirect("/");
  res.set("Cache-Control", "no-store");
  page("Account")(req, res);
});
app.get("/sign-in", (req, res) => res.cookie("user", "Anna", { httpOnly: true }).redirect("/account/"));
app.get("/sign-out", (req, res) => res.clearCookie("user").redirect("/"));
app.use(page("Not here", { status: 404 }));
app.listen(Number(process.argv[2]), "127.0.0.1");
