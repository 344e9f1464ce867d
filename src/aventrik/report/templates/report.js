"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const texts = new Map();
  const element = (tag, words, kind) => {
    const made = document.createElement(tag);
    if (words !== undefined) made.textContent = words;
    if (kind) made.className = kind;
    return made;
  };
  const parts = new Map([...document.querySelectorAll("script[data-block]")].map((each) => [each.dataset.block, each]));

  /* A part of the page: JSON, compressed. */
  const block = async (name) => {
    if (!texts.has(name)) {
      const bytes = Uint8Array.from(atob(parts.get(name).textContent), (letter) => letter.charCodeAt(0));
      const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
      texts.set(name, new Response(stream).json());
    }
    return texts.get(name);
  };
  const figure = (value) => value === null || value === undefined ? "–"
    : Math.abs(value) >= 100 ? Math.round(value).toLocaleString("en") : value.toFixed(2);
  const signed = (value) => value === null ? "–" : (value > 0 ? "+" : "") + figure(value);

  /* Sorting: a heading is a button; numbers by value, words by letters, what is absent last. */
  const valueOf = (row, column) => {
    const cell = row.cells[column];
    const kept = cell ? cell.dataset.v : undefined;
    if (kept === undefined || kept === "") return null;
    const number = Number(kept);
    return Number.isNaN(number) ? kept.toLowerCase() : number;
  };
  const sort = (table, column, upwards) => {
    const body = table.tBodies[0];
    const rows = [...body.rows].filter((row) => !row.classList.contains("open"));
    const followers = new Map(rows.map((row) => [row, row.nextElementSibling]));
    const keyed = rows.map((row, place) => [valueOf(row, column), place, row]);
    const sign = upwards ? 1 : -1;
    keyed.sort(([a, i], [b, j]) => {
      if (a === null || b === null) return a === b ? i - j : a === null ? 1 : -1;
      if (typeof a !== typeof b) return typeof a === "number" ? -1 : 1;
      return a < b ? -sign : a > b ? sign : i - j;
    });
    const fragment = document.createDocumentFragment();
    for (const [, , row] of keyed) {
      const next = followers.get(row);
      fragment.append(row);
      if (next && next.classList.contains("open")) fragment.append(next);
    }
    body.append(fragment);
    [...table.tHead.rows[0].cells].forEach((cell, place) => {
      if (place === column) cell.setAttribute("aria-sort", upwards ? "ascending" : "descending");
      else cell.removeAttribute("aria-sort");
    });
  };
  for (const table of document.querySelectorAll("table.sortable")) {
    [...table.tHead.rows[0].cells].forEach((cell, column) => {
      if (!cell.textContent) return;
      const button = element("button", cell.textContent);
      button.type = "button";
      button.addEventListener("click", () => {
        const now = cell.getAttribute("aria-sort");
        const figures = [...table.tBodies[0].rows].some((row) => typeof valueOf(row, column) === "number");
        sort(table, column, now ? now === "descending" : !figures);
      });
      cell.replaceChildren(button);
    });
  }

  /* Filtering: all the words, wherever they stand in a row. */
  for (const input of document.querySelectorAll("input[data-filter]")) {
    const table = document.getElementById(input.dataset.filter);
    const count = document.querySelector(`[data-count="${input.dataset.filter}"]`);
    input.addEventListener("input", () => {
      const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
      let shown = 0;
      for (const row of table.tBodies[0].rows) {
        const told = row.textContent.toLowerCase();
        row.hidden = !words.every((word) => told.includes(word));
        shown += !row.hidden;
      }
      count.textContent = shown === table.tBodies[0].rows.length ? `${shown} rows` : `${shown} of ${table.tBodies[0].rows.length} rows`;
    });
  }

  /* The questions. */
  const questions = document.getElementById("questions");
  const [first, second, by, differing, words] = ["first", "second", "by", "differing", "words"].map((id) => document.getElementById(id));
  const rows = data.questions.map((question, place) => {
    const row = element("tr");
    const id = element("th", question.id);
    id.scope = "row";
    id.dataset.v = question.id;
    const text = element("td");
    text.dataset.v = question.text;
    const button = element("button", question.text);
    button.type = "button";
    button.setAttribute("aria-expanded", "false");
    button.addEventListener("click", () => toggle(place));
    text.append(button);
    const kind = element("td", (question.facets.kind || []).join(", "));
    kind.dataset.v = kind.textContent;
    const cells = [0, 1, 2, 3].map(() => element("td", "", "figure"));
    row.append(id, text, kind, ...cells);
    const told = [question.id, question.text, ...Object.values(question.facets).flat()].join(" ").toLowerCase();
    return { row, button, cells, told, question, open: null };
  });
  questions.tBodies[0].append(...rows.map((each) => each.row));
  const put = (cell, value, sign) => {
    cell.textContent = sign ? signed(value) : figure(value);
    if (value === null) delete cell.dataset.v;
    else cell.dataset.v = value;
  };
  const filter = () => {
    const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const each of rows) {
      const same = differing.checked && (each.difference === null || each.difference === 0);
      each.row.hidden = same || !wanted.every((word) => each.told.includes(word));
      if (each.open) each.open.hidden = each.row.hidden;
    }
  };
  const choose = async () => {
    const [one, other] = [Number(first.value), Number(second.value)];
    const scores = await block(`scores ${by.value}`);
    let [better, worse, same, sum] = [0, 0, 0, 0];
    const less = data.less.includes(by.value);
    rows.forEach((each, place) => {
      const all = scores.map((run) => run[place]).filter((value) => value !== null);
      const [a, b] = [scores[one][place], scores[other][place]];
      each.difference = a === null || b === null ? null : b - a;
      put(each.cells[0], all.length ? all.reduce((x, y) => x + y, 0) / all.length : null);
      put(each.cells[1], a);
      put(each.cells[2], b);
      put(each.cells[3], each.difference, true);
      each.cells[3].className = "figure" + (each.difference ? (each.difference > 0) !== less ? " better" : " worse" : "");
      if (each.difference === null) return;
      sum += each.difference;
      if (each.difference === 0) same += 1;
      else if ((each.difference > 0) !== less) better += 1;
      else worse += 1;
    });
    const number = (place) => data.comparison.runs[place].run;
    for (const [id, place] of [["of-first", one], ["of-second", other]]) {
      const button = document.querySelector(`#${id} button`);
      button.textContent = `run ${number(place)}`;
    }
    const n = better + worse + same;
    const told = document.getElementById("between");
    told.textContent = n
      ? `Run ${number(other)} against run ${number(one)} by ${by.value}${less ? " (less is better)" : ""}: better on ${better} `
        + `questions, worse on ${worse}, the same on ${same}; on average ${signed(sum / n)}${tested(one, other)}.`
      : `No question has ${by.value} in both runs.`;
    told.dataset.v = n ? sum / n : "";
    filter();
    for (const each of rows) if (each.open) fill(each);
  };
  /* What the comparison says of two runs, where it set them against each other. */
  const tested = (one, other) => {
    if (by.value !== data.comparison.measure) return "";
    for (const each of [...data.comparison.differences, ...data.comparison.pairs]) {
      const turned = each.place === one && each.against_place === other;
      if (!turned && (each.place !== other || each.against_place !== one)) continue;
      const gap = each.difference;
      const [low, high] = turned ? [-gap.high, -gap.low] : [gap.low, gap.high];
      return ` [${signed(low)} to ${signed(high)}], ${each.real ? "which is real" : "which is not shown to be real"} (p ${each.p.toFixed(3)})`;
    }
    return "";
  };
  for (const each of [first, second, by]) each.addEventListener("change", choose);
  differing.addEventListener("change", filter);
  words.addEventListener("input", filter);
  document.getElementById("choose").addEventListener("submit", (event) => event.preventDefault());

  const toggle = async (place) => {
    const each = rows[place];
    if (each.open) {
      each.open.remove();
      each.open = null;
      each.button.setAttribute("aria-expanded", "false");
      return;
    }
    each.open = element("tr", undefined, "open");
    const cell = element("td");
    cell.colSpan = 7;
    each.open.append(cell);
    each.row.after(each.open);
    each.button.setAttribute("aria-expanded", "true");
    await fill(each);
  };

  /* One question: evidence, then two runs side by side, then all of them. */
  const fill = async (each) => {
    const place = rows.indexOf(each);
    const kept = await block(`question ${place}`);
    const holders = new Set(kept.needs.flatMap((need) => need.places.map((p) => p.at)));
    const two = [Number(first.value), Number(second.value)].filter((run, at, all) => all.indexOf(run) === at);
    for (const run of two) for (const item of (kept.lists[(kept.runs[run] || [-1])[0]] || [])) holders.add(item[0]);
    const documents = await loaded([...holders].filter((at) => at >= 0));
    const detail = element("div", undefined, "detail");
    detail.append(evidence(kept, documents));
    const sides = element("div", undefined, "two");
    for (const run of two) sides.append(side(kept, run, place, documents));
    detail.append(sides, everyRun(kept, place));
    if (each.open) each.open.firstChild.replaceChildren(detail);
  };
  const loaded = async (places) => {
    const found = new Map();
    for (const name of new Set(places.map((at) => data.documents[at].block))) {
      const several = await block(`texts ${name}`);
      for (const at of places) if (several[at]) found.set(at, several[at]);
    }
    return found;
  };
  /* The text of a stretch, as far as the page has it; null where it was left out. */
  const stretch = (document_, start, end) => {
    const piece = document_ && document_.pieces.find(([at, text]) => at <= start && start < at + text.length);
    if (!piece) return null;
    const [at, text] = piece;
    return text.slice(start - at, Math.min(end - at, text.length)) + (end - at > text.length ? " …" : "");
  };
  const headed = (document_, start) => {
    if (!document_) return "";
    let last = "";
    for (const [at, path] of document_.heads) if (at <= start) last = path;
    return [document_.title, last].filter((part, place, all) => part && all.indexOf(part) === place).join(" › ");
  };
  const evidence = (kept, documents) => {
    const made = element("div");
    made.append(element("h3", kept.needs.length ? "What an answer needs, and where it stands" : "No document answers this: the right answer is to decline"));
    const list = element("ol");
    for (const need of kept.needs) {
      const entry = element("li");
      if (need.fact) entry.append(element("b", need.fact));
      for (const where of need.places) {
        const line = element("div");
        line.append(element("span", `${where.doc}${where.start >= 0 ? `, ${where.start}–${where.end}` : ", not found there"}: `, "where"));
        const document_ = documents.get(where.at);
        const around = document_ && where.start >= 0 ? stretch(document_, Math.max(0, where.start - 120), where.end + 120) : null;
        const quote = element("q");
        if (around !== null && around.includes(where.quote) && where.quote) {
          const at = around.indexOf(where.quote);
          quote.append(around.slice(0, at), element("mark", where.quote), around.slice(at + where.quote.length));
        } else quote.textContent = where.quote;
        line.append(quote);
        entry.append(line);
      }
      if (need.more) entry.append(element("div", `and ${need.more} more places`, "where"));
      list.append(entry);
    }
    if (kept.needs.length) made.append(list);
    if (kept.answer) {
      const line = element("p");
      line.append(element("b", "Reference answer: "), kept.answer);
      made.append(line);
    }
    return made;
  };
  const side = (kept, run, place, documents) => {
    const made = element("div");
    const told = data.comparison.runs[run];
    made.append(element("h3", data.names[run]));
    const found = kept.runs[run];
    if (!found) {
      made.append(element("p", "Of this run scores alone are kept."));
      return made;
    }
    const [list, shown, answer, lost, queries, grades] = found;
    if (lost.length) {
      const fate = element("p");
      lost.forEach((stage, need) => {
        const name = data.stages[stage];
        const good = name === "answered" || name === "in the context";
        fate.append(need ? "; " : "", `need ${need + 1}: `, element("span", `${good ? "✓" : "✗"} ${name}`, good ? "holds" : "lost"));
      });
      made.append(fate);
    }
    if (queries.length) {
      made.append(element("h4", "Searched for"));
      const several = element("ul");
      several.append(...queries.map((query) => element("li", query)));
      made.append(several);
    }
    const items = kept.lists[list];
    made.append(element("h4", `Found, best first${shown ? ` (the first ${shown} were shown to the model)` : ""}`));
    const ranks = element("ol");
    items.forEach((item, rank) => ranks.append(entryOf(item, rank < shown, documents)));
    made.append(items.length ? ranks : element("p", "Nothing was found."));
    if (answer >= 0) made.append(answered(kept.answers[answer], grades));
    if (data.called.includes(run)) made.append(sent(run, place));
    return made;
  };
  const entryOf = (item, shown, documents) => {
    const [at, ranges, tokens, covers, name] = item;
    const document_ = documents.get(at);
    const entry = element("li");
    const holds = covers.map((cover, need) => cover > 0 ? `holds ${Math.round(100 * cover)} % of need ${need + 1}` : "").filter(Boolean);
    const where = `${at >= 0 ? data.documents[at].name : name || "not found in the documents"}${ranges.length ? `, ${ranges[0][0]}` : ""}`;
    const pieces = document_ ? ranges.map(([start, end]) => stretch(document_, start, end)) : [];
    const text = pieces.length && pieces.every((piece) => piece !== null) ? pieces.join("\n") : null;
    const head = element(text === null ? "div" : "summary");
    head.append(element("span", where), element("span", ` ${document_ && ranges.length ? headed(document_, ranges[0][0]) : ""} `, "where"));
    if (holds.length) head.append(element("span", holds.join(", "), "holds"));
    if (text === null) {
      entry.append(head);
      return entry;
    }
    const more = element("details");
    more.open = shown && holds.length > 0;
    more.append(head, element("blockquote", text), element("div", `${tokens} tokens`, "where"));
    entry.append(more);
    return entry;
  };
  const MARKS = { supported: "✓", contradicted: "✗", "not found": "?", "too far to tell": "~" };
  const answered = (answer, grades) => {
    const made = element("div");
    made.append(element("h4", answer.declined ? "Answer (declined)" : "Answer"));
    made.append(element("blockquote", answer.text || (answer.failure ? `none: ${answer.failure}` : "(empty)")));
    if (answer.claims.length) {
      made.append(element("h4", "Verdicts on its claims"));
      const list = element("ul");
      for (const [claim, verdict, confidence, reason, quotes] of answer.claims) {
        const entry = element("li");
        entry.append(element("b", `${MARKS[verdict] || ""} ${verdict} ${confidence.toFixed(2)}: `), claim);
        entry.append(element("div", reason, "where"));
        for (const [number, quote] of quotes) entry.append(element("div", `[${number}] “${quote}”`, "where"));
        list.append(entry);
      }
      made.append(list);
    }
    for (const [name, [level, reason]] of Object.entries(grades)) made.append(element("p", `${name}: level ${level}. ${reason}`));
    return made;
  };
  /* What model servers were sent for a question, and what they said. */
  const sent = (run, place) => {
    const more = element("details");
    more.append(element("summary", "Prompts as they were sent, and replies"));
    more.addEventListener("toggle", async () => {
      if (!more.open || more.children.length > 1) return;
      const calls = (await block(`calls ${place}`))[run] || [];
      if (!calls.length) more.append(element("p", "No model server was asked."));
      calls.forEach((call, number) => {
        more.append(element("h4", `${number + 1}. ${call.stage}: ${call.task}, asked of ${call.model}`));
        if (call.reply === null) {
          more.append(element("p", "It is not kept: the model's settings were changed since, or the store was cleaned."));
          return;
        }
        const [sentTokens, got] = call.tokens;
        more.append(element("p", `${call.seconds.toFixed(2)} s, ${sentTokens} tokens in, ${got} out, ${call.money.toFixed(5)}`, "where"));
        for (const [role, text] of call.messages) more.append(element("div", role, "where"), element("pre", text));
        more.append(element("div", "reply", "where"), element("pre", call.reply));
        if (call.failure) more.append(element("p", `It failed: ${call.failure}`));
      });
    });
    return more;
  };
  const everyRun = (kept, place) => {
    const more = element("details");
    more.append(element("summary", `All ${data.names.length} runs on this question`));
    more.addEventListener("toggle", async () => {
      if (!more.open || more.children.length > 1) return;
      const scores = await block(`scores ${by.value}`);
      const table = element("table");
      const head = element("tr");
      for (const name of ["run", by.value, "first rank with evidence", "lost", "answer"]) {
        const cell = element("th", name);
        cell.scope = "col";
        head.append(cell);
      }
      const top = element("thead");
      top.append(head);
      const body = element("tbody");
      data.names.forEach((name, run) => {
        const row = element("tr");
        const found = kept.runs[run];
        const items = found ? kept.lists[found[0]] : [];
        const rank = items.findIndex((item) => item[3].some((cover) => cover > 0));
        const answer = found && found[2] >= 0 ? kept.answers[found[2]] : null;
        const title = element("th", name);
        title.scope = "row";
        const said = !answer ? "–" : answer.declined ? "declined" : (answer.text || answer.failure).slice(0, 140);
        row.append(title, element("td", figure(scores[run][place]), "figure"), element("td", rank < 0 ? "–" : String(rank + 1), "figure"),
          element("td", found ? found[3].map((stage) => data.stages[stage]).join("; ") : "–"), element("td", said));
        body.append(row);
      });
      const caption = element("caption", "What each run came to");
      table.append(caption, top, body);
      more.append(table);
    });
    return more;
  };

  /* A question's place in the address opens it, so that it can be pointed at. */
  const open = () => {
    const place = rows.findIndex((each) => `#q=${encodeURIComponent(each.question.id)}` === location.hash);
    if (place >= 0 && !rows[place].open) {
      toggle(place);
      rows[place].button.focus();
      rows[place].row.scrollIntoView();
    }
  };
  window.addEventListener("hashchange", open);
  window.addEventListener("beforeprint", () => { for (const each of document.querySelectorAll("#made details, #gaps details")) each.open = true; });
  choose().then(() => { document.documentElement.dataset.ready = "yes"; open(); });
})();
