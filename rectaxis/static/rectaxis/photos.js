// Photos go up one after the other, each with its progress. What does not get through waits here and is tried again.

const SHRINK_FROM = 3e6;
const LONGEST = 2600;
const AGAIN_MS = 5000;

// A photo larger than the record keeps is made smaller here: signal in a yard is poor.
async function smaller(file) {
  if (file.size < SHRINK_FROM || !window.createImageBitmap) return file;
  try {
    const bitmap = await createImageBitmap(file, { imageOrientation: "from-image" });
    const scale = Math.min(1, LONGEST / Math.max(bitmap.width, bitmap.height));
    const canvas = new OffscreenCanvas(Math.round(bitmap.width * scale), Math.round(bitmap.height * scale));
    canvas.getContext("2d").drawImage(bitmap, 0, 0, canvas.width, canvas.height);
    bitmap.close();
    return await canvas.convertToBlob({ type: "image/jpeg", quality: 0.88 });
  } catch {
    return file; // not a picture that this browser knows: the server says so in words
  }
}

export function startPhotos(bench) {
  const waiting = [];
  const most = Number(bench.dataset.photoMost); // bytes, as the server takes them
  let busy = false;

  bench.addEventListener("change", (event) => {
    const box = event.target.type === "file" ? event.target.closest("[data-photos]") : null;
    if (!box) return;
    for (const file of event.target.files) waiting.push({ box, file, line: lineFor(box, file) });
    event.target.value = "";
    work();
  });
  window.addEventListener("beforeunload", (event) => { if (busy || waiting.length) event.preventDefault(); });

  async function work() {
    if (busy || !waiting.length) return;
    busy = true;
    const { box, file, line } = waiting[0];
    const sent = await smaller(file);
    if (sent.size > most) {
      const [has, fit] = [Math.round(file.size / 1e6), Math.floor(most / 1e6)];
      done(line, `${file.name} has ${has} MB and is no picture that can be made smaller here; at most ${fit} MB fit.`, true);
    } else if (!(await send(box, sent, file.name, line))) {
      busy = false;
      setTimeout(work, AGAIN_MS);
      return;
    }
    waiting.shift();
    busy = false;
    work();
  }

  // Answers false where the server could not be reached: the photo stays in the queue.
  function send(box, file, name, line) {
    return new Promise((answer) => {
      const request = new XMLHttpRequest();
      const form = new FormData();
      form.append("slot", box.dataset.photos);
      form.append("photo", file, name);
      request.open("POST", bench.dataset.photoUrl);
      request.setRequestHeader("X-CSRFToken", document.querySelector('meta[name="csrf-token"]').content);
      request.upload.onprogress = (event) => { if (event.lengthComputable) line.querySelector("progress").value = event.loaded / event.total; };
      request.onload = async () => {
        if (request.status === 200) {
          line.remove();
          await refresh(box);
          answer(true);
        } else if (request.status === 422) {
          done(line, `${name}: ${JSON.parse(request.responseText).text}`, true);
          answer(true);
        } else {
          said(line, `${name}: not sent yet, tried again soon`);
          answer(false);
        }
      };
      request.onerror = () => { said(line, `${name}: not sent yet, kept here and tried again`); answer(false); };
      request.send(form);
    });
  }

  async function refresh(box) {
    const answer = await fetch(`${bench.dataset.photoListUrl}?slot=${encodeURIComponent(box.dataset.photos)}`);
    if (!answer.ok) return;
    const list = box.querySelector("[data-photo-list]");
    list.outerHTML = await answer.text();
    window.htmx.process(box);
  }
}

function lineFor(box, file) {
  const line = document.createElement("li");
  const text = document.createElement("span");
  text.textContent = file.name;
  const bar = document.createElement("progress");
  bar.max = 1;
  bar.value = 0;
  bar.setAttribute("aria-label", `sending ${file.name}`);
  line.append(text, bar);
  box.querySelector(".uploads").append(line);
  return line;
}

function said(line, words) { line.querySelector("span").textContent = words; }

function done(line, words, refused) {
  said(line, words);
  line.querySelector("progress").remove();
  line.classList.toggle("refusal", refused);
}
