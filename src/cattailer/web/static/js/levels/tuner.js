// The tuner: the row is chosen here, the note comes from the server.
import { leaveIfPointed } from "../page/focus.js";
import { on, wish } from "../page/socket.js";

export function startTuner() {
  const row = document.getElementById("tuner-row");
  if (!row) return;
  const [note, hand, cents] = ["note", "hand", "cents"].map((id) => document.getElementById(id));
  const ask = () => wish({ tune: Number(row.value) });
  row.addEventListener("change", () => {
    ask();
    if (row.value === "0") show({ note: "", cents: 0, in_tune: false });
    leaveIfPointed(row);
  });
  on("open", ask);
  on("tuner", show);

  function show(heard) {
    note.textContent = heard.note || "–";
    hand.setAttribute("visibility", heard.note ? "visible" : "hidden");
    hand.setAttribute("transform", `translate(${heard.cents} 0)`);
    hand.setAttribute("stroke", heard.in_tune ? "var(--reed)" : "var(--ochre)");
    cents.textContent = heard.note ? `${heard.cents >= 0 ? "+" : "−"}${Math.abs(heard.cents).toFixed(0).padStart(2)} ct` : "";
  }
}
