"use strict";
const data = JSON.parse(document.getElementById("data").textContent);
const plot = document.getElementById("plot"), list = document.getElementById("list");
const choice = document.getElementById("colouring");
const MOST = 200;
choice.value = data.chosen;

function escaped(text) {
  return text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;");
}
function wrapped(text, width, lines) {
  const found = [];
  let line = "";
  for (const word of text.split(/\s+/)) {
    if (line && (line + " " + word).length > width) { found.push(line); line = ""; }
    line = line ? line + " " + word : word;
  }
  if (line) found.push(line);
  return found.slice(0, lines).map(escaped).join("<br>") + (found.length > lines ? " …" : "");
}
function hover(point) {
  return "<b>" + wrapped(point.doc, 64, 2) + "</b><br>" + wrapped(point.source, 64, 2) + "<br>" + wrapped(point.text, 64, 7);
}
function traces() {
  const groups = data.colourings[choice.value];
  const places = new Map(groups.map((group, place) => [group.name, place]));
  const members = groups.map(() => []);
  data.points.forEach((point, number) => {
    const name = point.groups[choice.value];
    members[places.has(name) ? places.get(name) : places.get(data.other)].push(number);
  });
  const size = Math.max(4, Math.min(10, 260 / Math.sqrt(data.points.length)));
  return groups.map((group, place) => ({
    type: data.card ? "scattergl" : "scatter", mode: "markers",
    name: wrapped(group.name, 34, 2) + " (" + members[place].length + ")",
    x: members[place].map(n => data.points[n].x), y: members[place].map(n => data.points[n].y),
    customdata: members[place], text: members[place].map(n => hover(data.points[n])),
    hovertemplate: "%{text}<extra></extra>",
    marker: { color: group.look[0], symbol: group.look[2], size: size, opacity: .85 },
  }));
}
const layout = {
  margin: { l: 10, r: 10, t: 34, b: 10 }, dragmode: "lasso", hovermode: "closest", uirevision: "kept",
  legend: { font: { size: 11 }, itemsizing: "constant", x: 1.01, y: 1 }, showlegend: true,
  xaxis: { visible: false }, yaxis: { visible: false },
  hoverlabel: { align: "left", bgcolor: "#fffdf5", bordercolor: "#888", font: { size: 12, color: "#22262b" } },
};
const config = { responsive: true, displaylogo: false, scrollZoom: true,
  modeBarButtons: [["lasso2d", "select2d", "zoom2d", "pan2d", "resetScale2d"]] };

function show(numbers, title) {
  list.replaceChildren();
  const head = document.createElement("h2");
  head.textContent = title;
  list.append(head);
  for (const number of numbers.slice(0, MOST)) {
    const point = data.points[number];
    const box = document.createElement("article");
    const doc = document.createElement("b"), source = document.createElement("small"), text = document.createElement("p");
    doc.textContent = point.doc;
    source.textContent = point.source + " · " + point.groups[choice.value];
    text.textContent = point.text;
    box.append(doc, source, text);
    list.append(box);
  }
  if (numbers.length > MOST) {
    const more = document.createElement("p");
    more.textContent = "… and " + (numbers.length - MOST) + " more";
    list.append(more);
  }
}
function greet() {
  list.replaceChildren();
  const hint = document.createElement("p");
  hint.className = "hint";
  hint.textContent = "Draw round some points to read their chunks here, or click on one. Hover shows a point, the wheel " +
    "zooms, a double click takes the selection back, and the legend shows and hides groups.";
  list.append(hint);
}
function draw() {
  Plotly.react(plot, traces(), layout, config);
}
draw();
greet();
new ResizeObserver(() => Plotly.Plots.resize(plot)).observe(plot);
plot.on("plotly_selected", chosen => {
  if (!chosen || !chosen.points.length) { greet(); return; }
  const numbers = chosen.points.map(point => point.customdata).sort((a, b) => a - b);
  show(numbers, numbers.length + (numbers.length === 1 ? " chunk selected" : " chunks selected"));
});
plot.on("plotly_deselect", greet);
plot.on("plotly_click", clicked => show(clicked.points.map(point => point.customdata), "the chunk you clicked"));
choice.addEventListener("change", draw);
