<?php
// The layout of all pages.
function page(string $title, string $edition, string $who, string $token = ""): void { ?>
<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width">
  <title><?= htmlspecialchars($title) ?></title>
  <link rel="stylesheet" href="/app.css">
</head>
<body>
<nav><a href="/">Skerry Line</a> <a href="/timetable/">Timetable</a> <a href="/harbours/staffin/">Staffin</a> <a href="/harbours/rona/">Rona</a> <a href="/greet/">Greetings</a> <a href="/book/">Book</a> <a href="/news/">News</a></nav>
<h1><?= htmlspecialchars($title) ?></h1>
<p id="edition"><?= $edition ?></p>
<p id="who"><?= htmlspecialchars($who) ?></p>
<?php if ($token): ?><form method="post"><input type="hidden" name="csrf_token" value="<?= $token ?>"><button>Book</button></form><?php endif; ?>
</body>
</html>
<?php }
