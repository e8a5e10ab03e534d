// What was typed into cells and is not saved yet. It outlives a lost network, a sign-in that ended and a page that is
// loaded again; what was typed together is sent together, in the order in which it was typed.

import { requestToken, say } from "./messages.js";
import { signInAgain } from "./sign_in_again.js";

const RETRY = 5000; // milliseconds
const SIGNED_OUT = 401;

const key = (box) => `cells ${box}`;
const kept = (box) => JSON.parse(sessionStorage.getItem(key(box)) || "[]");

function keep(box, waiting) {
  if (waiting.length) sessionStorage.setItem(key(box), JSON.stringify(waiting));
  else sessionStorage.removeItem(key(box));
  const count = waiting.flat().length;
  const line = document.getElementById("cells-waiting");
  if (line) line.textContent = count ? `${count} not saved yet` : "";
}

let sending = false;
let retry;

async function answerTo(url, cells) {
  const body = new URLSearchParams({ cells: JSON.stringify(cells) });
  const headers = { "X-CSRFToken": requestToken(), "HX-Request": "true" };
  try {
    const answer = await fetch(url, { method: "POST", headers, body });
    if (answer.status >= 500) return null;
    const done = await answer.json().catch(() => ({ message: "This did not work. Load the page again." }));
    return { status: answer.status, ok: answer.ok, ...done };
  } catch {
    return null;
  }
}

/** Send all that waits in an outbox, one after the other. `done(cells, answer)` is told what became of each. */
export async function send(url, box, done) {
  if (sending) return;
  sending = true;
  clearTimeout(retry);
  for (let waiting = kept(box); waiting.length; waiting = kept(box)) {
    const [cells] = waiting;
    const answer = await answerTo(url, cells);
    if (answer === null) {
      say("The server does not answer. What you typed is kept here and is saved when it does.");
      retry = setTimeout(() => send(url, box, done), RETRY);
      break;
    }
    if (answer.status === SIGNED_OUT) {
      signInAgain(() => send(url, box, done));
      break;
    }
    keep(box, kept(box).slice(1));
    done(cells, answer);
  }
  sending = false;
}

/** Put cells into the outbox, to be saved together. */
export const put = (box, cells) => keep(box, [...kept(box), cells]);

/** Return all cells that wait, the last one typed at the end. */
export const waitingCells = (box) => kept(box).flat();
