import { show } from "./departures.js";

const tables = document.querySelectorAll("[data-departures]");
fetch("/data/departures.json")
  .then((answer) => answer.json())
  .then(({ departures }) => tables.forEach((table) => show(table, departures)))
  .catch(() => tables.forEach((table) => { table.caption.textContent = "The departures could not be loaded"; }));
