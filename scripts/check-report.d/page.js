// A report's page in a browser: loads and scrolls, no console errors, readable figures by keyboard, WCAG 2 A and AA.
const { chromium } = require("playwright-core");
const fs = require("fs");
(async () => {
  const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu",
    "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  let bad = 0;
  const wrong = (...words) => { console.log("WRONG", ...words); bad = 1; };
  page.on("console", (m) => { if (m.type() === "error") wrong("console:", m.text()); });
  page.on("pageerror", (e) => wrong("script:", e.message));
  page.on("request", (r) => { if (/^https?:/.test(r.url())) wrong("asks the network for", r.url()); });
  const before = Date.now();
  await page.goto("file://" + process.argv[2], { waitUntil: "load" });
  console.log(`loaded in ${Date.now() - before} ms`);
  const gaps = await page.evaluate(async () => {
    const out = [];
    let last = performance.now();
    for (let k = 0; k <= 60; ++k) {
      scrollTo(0, (document.body.scrollHeight * k) / 60);
      await new Promise(requestAnimationFrame);
      await new Promise(requestAnimationFrame);
      out.push(performance.now() - last);
      last = performance.now();
    }
    return out;
  });
  console.log(`scrolled through in 60 steps, two frames each: median ${gaps.sort((a, b) => a - b)[30].toFixed(0)} ms, longest ${gaps[60].toFixed(0)} ms`);
  const figure = page.locator("figure.readable").first();
  if (await figure.count()) {
    await figure.scrollIntoViewIfNeeded();
    await figure.locator("button").focus();
    await page.keyboard.press("Enter");
    await page.waitForTimeout(200);
    const range = () => figure.evaluate((f) => f.plot.scales.x.max - f.plot.scales.x.min);
    const whole = await range();
    await page.keyboard.press("+");
    await page.waitForTimeout(100);
    if (!((await range()) < whole)) wrong("a figure is not zoomed by its key");
    await page.keyboard.press("ArrowRight");
    await page.waitForTimeout(100);
    if (!/: /.test(await figure.locator(".said").textContent())) wrong("the cursor says nothing");
    await page.keyboard.press("Escape");
    if (await figure.evaluate((f) => f.classList.contains("reading"))) wrong("a figure does not close");
  }
  if (process.argv[3] !== "quick") {
    await page.evaluate(fs.readFileSync(require.resolve("axe-core/axe.min.js"), "utf8"));
    const seen = await page.evaluate(() => axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "best-practice"] }));
    for (const v of seen.violations) wrong("accessibility:", v.id, v.impact, v.nodes.length, v.nodes[0].html.slice(0, 120));
    console.log(`accessibility: ${seen.passes.length} rules hold, ${seen.violations.length} do not`);
  }
  await browser.close();
  process.exit(bad);
})();
