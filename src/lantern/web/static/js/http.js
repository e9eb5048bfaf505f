// Requests with the session's token; a refusal carries its faults. Addresses are those of the page's site; "~" before
// one: of none.
const csrf = document.querySelector("meta[name=csrf]")?.content ?? "";

export const root = document.querySelector("meta[name=root]")?.content ?? "";
export const address = (path) => (path.startsWith("~") ? path.slice(1) : root + path);

export class Refusal extends Error {
  constructor(status, body) {
    const faults = body.faults ?? [];
    super(
      faults.length
        ? faults.map((f) => `${f.where}: ${f.what}; expected ${f.expected}`).join("\n")
        : (body.message ?? `The server answered ${status}.`),
    );
    this.status = status;
    this.superseded = body.superseded === true; // the page itself has asked for something newer
    this.faults = faults;
    this.body = body;
  }
}

export async function ask(method, url, body, { raw = false, signal } = {}) {
  const headers = { "X-CSRF-Token": csrf, Accept: "application/json" };
  if (!raw && body !== undefined) headers["Content-Type"] = "application/json";
  let answer;
  try {
    answer = await fetch(address(url), {
      method,
      headers,
      signal,
      body: raw || body === undefined ? body : JSON.stringify(body),
    });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Refusal(0, { message: "The server does not answer. Is it still running?" });
  }
  if (answer.status === 401) location.href = `/login?next=${encodeURIComponent(location.pathname)}`;
  const content = await answer
    .json()
    .catch(() => ({ message: `The server answered ${answer.status} with something unreadable.` }));
  if (!answer.ok) throw new Refusal(answer.status, content);
  return content;
}

export const pageData = () => JSON.parse(document.getElementById("page-data").textContent);

// Runs the newest of a burst of calls: one at a time, those in between are skipped. The work is told, last, how to
// ask whether a newer call waits.
export function latest(work) {
  let running = false;
  let waiting = null;
  return async function run(...values) {
    waiting = values;
    if (running) return;
    running = true;
    while (waiting) {
      const now = waiting;
      waiting = null;
      await work(...now, () => waiting !== null);
    }
    running = false;
  };
}
