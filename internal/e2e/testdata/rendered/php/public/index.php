<?php
// The ferry company's site: one script makes every page, and the files beside it are sent as they are.
require __DIR__ . '/../layout.php';
$edition = trim(file_get_contents(__DIR__ . '/../edition.txt'));
$path = parse_url($_SERVER['REQUEST_URI'], PHP_URL_PATH);
$who = $_COOKIE['user'] ?? '';
header('Content-Type: text/html; charset=utf-8');
switch ($path) {
case '/': page('Skerry Line', $edition, $who); break;
case '/timetable/': page('Timetable', $edition, $who); break;
case '/harbours/staffin/': page('Staffin', $edition, $who); break;
case '/harbours/rona/': page('Rona', $edition, $who); break;
case '/greet/': header('Vary: Cookie'); page('Greetings', $edition, $who); break;
case '/book/': page('Book', $edition, $who, bin2hex(random_bytes(8))); break;
case '/news/': echo "<!doctype html><html lang=\"en\"><head><title>News</title></head><body><h1>News</h1><p id=\"edition\">$edition</p><p id=\"who\"></p></body></html>"; break;
case '/account/':
	if ($who === '') { header('Location: /', true, 302); break; }
	header('Cache-Control: no-store');
	page('Account', $edition, $who);
	break;
case '/sign-in': setcookie('user', 'Anna', ['path' => '/', 'httponly' => true]); header('Location: /account/', true, 302); break;
case '/sign-out': setcookie('user', '', ['path' => '/', 'expires' => 1]); header('Location: /', true, 302); break;
default: http_response_code(404); page('Not here', $edition, $who);
}
