// The sheet in which the values of a classification or a field are edited.

const type = document.getElementById("aspect-type");
const sheet = document.querySelector("[data-values]");

function showForType() {
  sheet.hidden = type.value !== "choice";
}

function growWhenFull(event) {
  const body = sheet.querySelector("tbody");
  const last = body.lastElementChild;
  if (!last.contains(event.target) || event.target.value === "") return;
  const row = last.cloneNode(true);
  row.querySelectorAll("input").forEach((field) => (field.value = field.type === "hidden" ? "0" : ""));
  body.append(row);
}

if (type && sheet) type.addEventListener("change", showForType);
if (sheet) sheet.addEventListener("input", growWhenFull);
