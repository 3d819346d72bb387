// Sends the booking without leaving the page. Without this script the form is sent as forms are.
const form = document.querySelector("[data-booking]");
form.addEventListener("submit", async (event) => {
  event.preventDefault();
  const status = form.querySelector("[data-answer]");
  try {
    const answer = await fetch("/api/bookings", { method: "POST", body: new URLSearchParams(new FormData(form)) });
    if (answer.status === 202) status.textContent = "There is no connection just now. It is kept on this device, and sent when there is one.";
    else status.textContent = answer.ok ? "Booked. See you on the pier." : "That did not work; please ring the office.";
  } catch {
    status.textContent = "There is no connection just now; nothing was sent.";
  }
});
