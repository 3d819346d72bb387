// Sends the booking without leaving the page. Without this script the form is sent as forms are.
const form = document.querySelector("[data-booking]");
form.addEventListener("submit", async (event) => {
  event.preventDefault();
  const status = form.querySelector("[data-answer]");
  try {
    const answer = await fetch("/api/bookings", { method: "POST", body: new URLSearchParams(new FormData(form)) });
    status.textContent = answer.ok ? "Booked. See you on the pier." : "That did not work; please ring the office.";
  } catch {
    status.textContent = "There is no connection just now; nothing was sent.";
  }
});
