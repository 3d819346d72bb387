"""The ferry company's site, made by Flask: templates of Jinja, files of a folder below /static/."""
import os, sys
from flask import Flask, abort, make_response, redirect, render_template, request

app = Flask(__name__)
app.config["TEMPLATES_AUTO_RELOAD"] = True
HARBOURS = {"staffin": "Staffin", "rona": "Rona"}

def page(title, name="page.html", token="", varies=False, who=True):
    edition = open(os.path.join(app.root_path, "edition.txt")).read().strip()
    user = request.cookies.get("user", "") if who else ""
    answer = make_response(render_template(name, title=title, edition=edition, who=user, token=token))
    if varies:
        answer.headers["Vary"] = "Cookie"
    return answer

@app.get("/")
def home(): return page("Skerry Line")
@app.get("/timetable/")
def timetable(): return page("Timetable")
@app.get("/harbours/<name>/")
def harbour(name): return page(HARBOURS[name]) if name in HARBOURS else abort(404)
@app.get("/greet/")
def greet(): return page("Greetings", varies=True)
@app.get("/book/")
def book(): return page("Book", token=os.urandom(8).hex())
@app.get("/news/")
def news(): return page("News", "news.html", who=False)
@app.get("/account/")
def account():
    if "user" not in request.cookies: return redirect("/")
    answer = page("Account")
    answer.headers["Cache-Control"] = "no-store"
    return answer
@app.get("/sign-in")
def sign_in():
    answer = redirect("/account/")
    answer.set_cookie("user", "Anna", httponly=True)
    return answer
@app.get("/sign-out")
def sign_out():
    answer = redirect("/")
    answer.delete_cookie("user")
    return answer
@app.get("/sw.js")
def worker(): return app.send_static_file("sw.js")
@app.errorhandler(404)
def missing(_): return page("Not here"), 404

if __name__ == "__main__":
    app.run(port=int(sys.argv[1]))
