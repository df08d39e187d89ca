// Bringing pictures in by drop, paste or choice: one request each, so that one bad file spoils nothing.

const form = document.getElementById("add");
const input = document.getElementById("picture");
const arrivals = document.getElementById("arrivals");
const contact = document.getElementById("contact");
const words = form.dataset;
input.hidden = true; // the button opens the chooser; without this script the plain field does

function addRow(name) {
  const row = document.createElement("li");
  const title = document.createElement("span");
  title.textContent = name;
  const bar = document.createElement("progress");
  bar.max = 1;
  bar.value = 0;
  bar.setAttribute("aria-label", `${words.sending} ${name}`);
  const state = document.createElement("span");
  state.className = "soft";
  const stop = document.createElement("button");
  stop.className = "button small";
  stop.type = "button";
  stop.textContent = words.stop;
  stop.setAttribute("aria-label", `${words.stop} ${name}`);
  row.append(title, bar, state, stop);
  arrivals.append(row);
  return { row, bar, state, stop };
}

function refuse({ bar, state, stop }, text) {
  bar.remove();
  stop.remove();
  state.className = "said";
  state.textContent = text;
}

function toText(answer) {
  return [answer.message, answer.hint].filter(Boolean).join(" ");
}

// Why a picture of that size cannot be kept, or nothing: what a full disk breaks off halfway gets no answer.
async function askRoom(size) {
  try {
    const answer = await fetch(`${words.room}?bytes=${size}`, { headers: { Accept: "application/json" } });
    return answer.ok ? "" : toText(await answer.json());
  } catch {
    return words.lost;
  }
}

async function add(file, shown) {
  const refusal = file.size > Number(words.mostBytes) ? words.tooLarge : await askRoom(file.size);
  if (!refusal) return send(file, shown);
  refuse(shown, refusal);
  return null;
}

function send(file, shown) {
  return new Promise((resolve) => {
    const body = new FormData();
    body.append("picture", file, file.name || words.pasted);
    for (const name of ["page_dpi", "drawing_px"]) body.append(name, form.elements[name].value);
    const request = new XMLHttpRequest();
    request.open("POST", form.action);
    request.setRequestHeader("Accept", "application/json");
    request.setRequestHeader("X-CSRFToken", document.body.dataset.token);
    request.upload.onprogress = (event) => {
      shown.bar.value = event.lengthComputable ? event.loaded / event.total : 0;
      shown.state.textContent = words.sending;
    };
    request.upload.onload = () => {
      shown.stop.remove(); // from here on it may be kept already
      shown.bar.removeAttribute("value");
      shown.state.textContent = words.reading;
    };
    shown.stop.addEventListener("click", () => request.abort());
    request.onabort = () => {
      refuse(shown, words.stopped);
      resolve(null);
    };
    request.onerror = async () => {
      refuse(shown, (await askRoom(file.size)) || words.lost);
      resolve(null);
    };
    request.onload = () => {
      let answer = {};
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        answer = { message: words.lost };
      }
      if (request.status === 201) {
        shown.bar.remove();
        shown.state.textContent = [answer.count > 1 ? `${words.added}: ${answer.count}` : words.added, answer.refused].filter(Boolean).join("; ");
        resolve(answer);
      } else {
        refuse(shown, toText(answer));
        resolve(null);
      }
    };
    request.send(body);
  });
}

async function addAll(files) {
  if (!files.length) return;
  arrivals.replaceChildren();
  const rows = files.map((file) => addRow(file.name || words.pasted));
  const came = [];
  for (const [number, file] of files.entries()) {
    const answer = await add(file, rows[number]);
    if (answer) came.push(answer);
  }
  input.value = "";
  if (!document.getElementById("sheets")) {
    if (came.length === files.length && !came.some(({ refused }) => refused)) window.location.reload();
    return;
  }
  if (files.length === 1 && came.length === 1 && !came[0].refused) {
    window.location.assign(came[0].place);
    return;
  }
  if (came.length) {
    window.htmx.ajax("GET", `/sheets${window.location.search}`, { target: "#sheets", swap: "innerHTML" });
  }
}

form.addEventListener("submit", (event) => {
  event.preventDefault();
  if (input.files.length) addAll([...input.files]);
  else input.click();
});
input.addEventListener("change", () => addAll([...input.files]));

document.addEventListener("dragover", (event) => {
  event.preventDefault();
  contact.classList.add("aimed");
});
document.addEventListener("dragleave", (event) => !event.relatedTarget && contact.classList.remove("aimed"));
document.addEventListener("drop", (event) => {
  event.preventDefault();
  contact.classList.remove("aimed");
  addAll([...event.dataTransfer.files]);
});
document.addEventListener("paste", (event) => {
  const files = [...event.clipboardData.files];
  if (!files.length) return;
  event.preventDefault();
  addAll(files);
});

// A cut that is still being made says so, and one that could not be.
function sayWaiting() {
  for (const image of document.querySelectorAll(".print img")) {
    const print = image.closest(".print");
    print.classList.toggle("waiting", !image.complete);
    image.addEventListener("load", () => print.classList.remove("waiting"), { once: true });
    const fail = () => {
      image.hidden = true;
      print.dataset.word = print.dataset.failed;
      print.classList.add("waiting");
    };
    image.addEventListener("error", fail, { once: true });
    if (image.complete && !image.naturalWidth) fail();
  }
}
sayWaiting();
document.body.addEventListener("htmx:afterSettle", sayWaiting);
