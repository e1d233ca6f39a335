"use strict";
(() => {
  const $ = (id) => document.getElementById(id);
  const make = (tag, text, parent) => {
    const made = document.createElement(tag);
    made.textContent = text;
    if (parent) parent.append(made);
    return made;
  };
  for (const part of document.querySelectorAll(".live:not([data-empty])")) part.hidden = false;

  // Tables: a click on a head sorts by it, numbers by their value.
  const collator = new Intl.Collator("en", { numeric: true });
  const keyOf = (row, at) => {
    const cell = row.cells[at];
    return cell.dataset.value === undefined ? cell.textContent : Number(cell.dataset.value);
  };
  const compare = (one, other) => {
    const kinds = [typeof one, typeof other];
    if (kinds[0] !== kinds[1]) return kinds[0] === "number" ? -1 : 1;
    return kinds[0] === "number" ? one - other : collator.compare(one, other);
  };
  for (const table of document.querySelectorAll("table.sortable")) {
    const heads = [...table.tHead.rows[0].cells];
    heads.forEach((head, at) => {
      const button = make("button", head.textContent);
      button.type = "button";
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        const falling = head.getAttribute("aria-sort") === "ascending" || (!head.hasAttribute("aria-sort") && at > 0);
        for (const other of heads) other.removeAttribute("aria-sort");
        head.setAttribute("aria-sort", falling ? "descending" : "ascending");
        const body = table.tBodies[0];
        const rows = [...body.rows].map((row) => [keyOf(row, at), row]);
        const numbers = rows.filter(([key]) => typeof key === "number");
        const rest = rows.filter(([key]) => typeof key !== "number");
        for (const part of [numbers, rest]) part.sort((a, b) => (falling ? -1 : 1) * compare(a[0], b[0]));
        body.append(...[...numbers, ...rest].map(([, row]) => row));
      });
    });
  }

  // The profile: the same cells as mean, median, index or difference.
  for (const choice of document.querySelectorAll("input[name=figure]")) {
    choice.addEventListener("change", () => {
      for (const row of document.querySelectorAll("table.measures tbody tr")) {
        const figure = choice.value === "leads" ? row.cells[0].dataset.leads : choice.value;
        for (const cell of row.querySelectorAll("td[data-mean]")) {
          cell.textContent = cell.dataset[figure];
          const value = Number(cell.dataset[figure].replace(/,/g, ""));
          if (Number.isNaN(value)) delete cell.dataset.value;
          else cell.dataset.value = value;
        }
      }
    });
  }

  const copy = $("copy");
  if (copy) {
    copy.addEventListener("click", async () => {
      try {
        await navigator.clipboard.writeText($("plan").textContent);
        $("copied").textContent = "Copied.";
      } catch {
        getSelection().selectAllChildren($("plan"));
        $("copied").textContent = "Marked: press Ctrl-C, or Cmd-C.";
      }
    });
  }
  addEventListener("beforeprint", () => {
    for (const one of document.querySelectorAll("details")) one.open = true;
  });

  // The explorer.
  const palette = getComputedStyle(document.documentElement);
  const [ink, quiet, grid] = ["--ink", "--quiet", "--grid"].map((name) => palette.getPropertyValue(name).trim());
  const data = JSON.parse($("explored").textContent);
  if (!data.codes.length) return; // the customers stay where they are
  document.querySelector("#explorer .still").hidden = true;
  const shown = new Set(data.segments.map((segment) => segment.number));
  const figures = new Intl.NumberFormat("en", { maximumSignificantDigits: 4 });
  const whole = new Intl.NumberFormat("en", { maximumFractionDigits: 0 });
  const chart = charting.init($("chart"), null, { renderer: "canvas" });
  const state = { x: { at: 0 }, y: { at: Math.min(1, data.axes.length - 1) }, frame: null };

  // A logarithmic axis is of log(1 + |value|), mirrored below zero, so that zeros and refunds stay.
  const forward = (value, curved) => (curved ? Math.sign(value) * Math.log10(1 + Math.abs(value)) : value);
  const back = (value, curved) => (curved ? Math.sign(value) * (10 ** Math.abs(value) - 1) : value);
  const ticksOf = (values) => {
    const low = Math.min(...values);
    const high = Math.max(...values);
    const top = Math.ceil(Math.log10(1 + Math.max(Math.abs(low), Math.abs(high))));
    const ticks = [0];
    for (let power = 0; power <= top; power += 1) {
      for (const step of top > 3 ? [1] : [1, 3]) ticks.push(step * 10 ** power, -step * 10 ** power);
    }
    return ticks.filter((tick) => tick >= low && tick <= high).sort((a, b) => a - b).map((tick) => forward(tick, true));
  };

  const axisOf = (which, curved) => {
    const axis = data.axes[state[which].at];
    const values = axis.values.filter((value) => value !== null);
    const ticks = curved ? ticksOf(values) : undefined;
    return {
      type: "value",
      scale: true,
      name: axis.name,
      nameLocation: "middle",
      nameGap: which === "x" ? 30 : 48,
      nameTextStyle: { color: ink, fontSize: 14 },
      axisLabel: { color: ink, customValues: ticks, formatter: (value) => figures.format(back(value, curved)) },
      axisTick: { customValues: ticks },
      splitLine: { show: !curved, lineStyle: { color: grid } },
      axisLine: { show: true, onZero: false, lineStyle: { color: quiet } },
    };
  };

  const told = (row) => {
    const box = document.createElement("div");
    box.className = "hover";
    const segment = data.segments.find((one) => one.number === data.codes[row]);
    make("b", data.keys ? `${data.key} ${data.keys[row]}, ${segment.name}` : segment.name, box);
    for (const axis of data.axes.slice(0, Math.min(data.measures, 12))) {
      const value = axis.values[row];
      make("div", `${axis.name}: ${value === null ? "not recorded" : figures.format(value)}`, box);
    }
    return box;
  };

  const pointsOf = (number) => {
    const [across, up] = [data.axes[state.x.at].values, data.axes[state.y.at].values];
    const [cx, cy] = [$("curved-x").checked, $("curved-y").checked];
    const points = [];
    data.codes.forEach((code, row) => {
      if (code === number && across[row] !== null && up[row] !== null) {
        points.push([forward(across[row], cx), forward(up[row], cy), row]);
      }
    });
    return points;
  };

  const draw = () => {
    chart.setOption(
      {
        animation: false,
        textStyle: { fontFamily: "Report Sans, system-ui, sans-serif" },
        grid: { left: 70, right: 24, top: 20, bottom: 50 },
        xAxis: axisOf("x", $("curved-x").checked),
        yAxis: axisOf("y", $("curved-y").checked),
        brush: {
          xAxisIndex: 0,
          yAxisIndex: 0,
          brushStyle: { borderColor: ink, color: "rgba(39,49,59,0.08)", borderWidth: 1 },
          outOfBrush: { colorAlpha: 0.25 },
        },
        tooltip: {
          trigger: "item",
          confine: true,
          formatter: (item) => told(item.value[2]),
          textStyle: { color: ink },
        },
        series: data.segments
          .filter((segment) => shown.has(segment.number))
          .map((segment) => ({
            id: String(segment.number),
            name: segment.name,
            type: "scatter",
            symbol: segment.number ? `path://${data.shapes[(segment.number - 1) % 12]}` : "circle",
            symbolSize: segment.number ? 9 : 5,
            itemStyle: { color: segment.colour, opacity: 0.75 },
            data: pointsOf(segment.number),
          })),
      },
      { replaceMerge: ["series", "xAxis", "yAxis"] },
    );
    chart.dispatchAction({ type: "takeGlobalCursor", key: "brush", brushOption: { brushType: "rect", brushMode: "single" } });
    count();
  };

  const ends = { x: ["from-x", "to-x"], y: ["from-y", "to-y"] };
  const limits = (which) => {
    const [low, high] = ends[which].map((id) => ($(id).value === "" ? null : Number($(id).value)));
    return [low ?? -Infinity, high ?? Infinity];
  };
  const framed = () => [...ends.x, ...ends.y].some((id) => $(id).value !== "");

  const count = () => {
    const [left, right] = limits("x");
    const [low, high] = limits("y");
    const [across, up] = [data.axes[state.x.at].values, data.axes[state.y.at].values];
    const body = $("counted").tBodies[0];
    body.replaceChildren();
    let all = 0;
    let estimate = 0;
    for (const segment of data.segments) {
      let inside = 0;
      data.codes.forEach((code, row) => {
        const [x, y] = [across[row], up[row]];
        if (code === segment.number && x !== null && y !== null && x >= left && x <= right && y >= low && y <= high) inside += 1;
      });
      const share = segment.shown ? inside / segment.shown : 0;
      const row = body.insertRow();
      const head = make("th", segment.name, row);
      head.scope = "row";
      const share_told = segment.shown < 30 ? `${inside} of ${segment.shown}` : `${whole.format(100 * share)}%`;
      for (const text of [whole.format(segment.shown), whole.format(inside), share_told, whole.format(share * segment.size)]) {
        make("td", text, row);
      }
      all += inside;
      estimate += share * segment.size;
    }
    $("inside").textContent = framed()
      ? `${whole.format(all)} of the ${whole.format(data.codes.length)} shown are inside the frame: about ${whole.format(estimate)} of all ${whole.format(data.everyone)} ${data.noun[1]}.`
      : `No frame: all ${whole.format(data.codes.length)} shown are counted.`;
  };

  const brushed = (areas) => {
    const range = areas.length ? areas[0].coordRange : null;
    ["x", "y"].forEach((which, at) => {
      const curved = $(`curved-${which}`).checked;
      const values = range ? range[at].map((value) => Number(back(value, curved).toPrecision(4))) : ["", ""];
      ends[which].forEach((id, end) => {
        $(id).value = values[end];
      });
    });
    count();
  };
  chart.on("brushEnd", (event) => brushed(event.areas));
  chart.on("brush", (event) => brushed(event.areas));

  const showFrame = () => {
    count();
    const range = ["x", "y"].map((which) => {
      const values = data.axes[state[which].at].values.filter((value) => value !== null);
      const [low, high] = limits(which);
      const inner = [Math.max(low, Math.min(...values)), Math.min(high, Math.max(...values))];
      return inner.map((value) => forward(value, $(`curved-${which}`).checked));
    });
    const areas = framed() ? [{ brushType: "rect", coordRange: range, xAxisIndex: 0, yAxisIndex: 0 }] : [];
    chart.dispatchAction({ type: "brush", areas }, { silent: true });
  };
  const clear = () => {
    for (const id of [...ends.x, ...ends.y]) $(id).value = "";
    chart.dispatchAction({ type: "brush", areas: [] }, { silent: true });
    count();
  };
  for (const id of [...ends.x, ...ends.y]) $(id).addEventListener("change", showFrame);
  $("clear").addEventListener("click", clear);

  for (const which of ["x", "y"]) {
    const select = $(`axis-${which}`);
    data.axes.forEach((axis, at) => {
      const one = make("option", axis.name, select);
      one.value = at;
    });
    select.value = state[which].at;
    $(`curved-${which}`).checked = data.axes[state[which].at].curved;
    select.addEventListener("change", () => {
      state[which].at = Number(select.value);
      $(`curved-${which}`).checked = data.axes[state[which].at].curved;
      clear();
      draw();
    });
    $(`curved-${which}`).addEventListener("change", () => {
      draw();
      showFrame();
    });
  }
  $("swap").addEventListener("click", () => {
    const curved = ["x", "y"].map((which) => $(`curved-${which}`).checked);
    [state.x.at, state.y.at] = [state.y.at, state.x.at];
    $("axis-x").value = state.x.at;
    $("axis-y").value = state.y.at;
    [$("curved-y").checked, $("curved-x").checked] = curved;
    clear();
    draw();
  });
  for (const segment of data.segments) {
    const label = make("label", "", $("switches"));
    label.className = "tick";
    const box = document.createElement("input");
    box.type = "checkbox";
    box.checked = true;
    box.value = segment.number;
    label.append(box);
    if (segment.number) {
      const mark = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      mark.setAttribute("viewBox", "-10 -10 20 20");
      mark.setAttribute("class", "mark");
      mark.setAttribute("aria-hidden", "true");
      const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
      path.setAttribute("d", data.shapes[(segment.number - 1) % 12]);
      path.setAttribute("fill", segment.colour);
      mark.append(path);
      label.append(" ", mark);
    }
    label.append(` ${segment.name} (${whole.format(segment.size)})`);
    box.addEventListener("change", () => {
      if (box.checked) shown.add(segment.number);
      else shown.delete(segment.number);
      draw();
      showFrame();
    });
  }
  addEventListener("resize", () => chart.resize());
  draw();
  $("explorer").dataset.ready = "yes";
})();
