"""Presses every control of a page, as a person would, and says what a person would complain of."""

import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field

from playwright.sync_api import APIRequestContext, Error, Page, Response

SETTLE_MS, PRESS_MS, PATIENCE = 300, 6000, 12
MOUSE, KEYBOARD = "mouse", "keyboard"
ALIKE = 2
"""So many controls are pressed of those that differ in their numbers and names only."""

SAID = re.compile("Failed to load resource|Response Status Error Code")
"""What the console says of a status that is looked at anyway."""
EXPECTED: tuple[tuple[str, str, str, str], ...] = (
    # (address, control, complaint), all as patterns, and why it is right
    (r"/devices", r"Show a code|Called", r"400 POST /devices/offer", "no mix was chosen for the player, and it says so"),
    (r"/patch/list", r"Show what would change", r"400 POST .*/preview", "the list is empty, and it says so"),
    (r"", r"^(Undo|Redo)$", r"409 POST .*/(un|re)do", "nothing was done yet, and it says so"),
    (r"", r"^Bar 1$", r"nothing", "it is there already"),
    (r"/patch/tracks", r"^Remove", r"409 POST .*/remove$", "it holds takes, and it says so"),
    (r"/patch/interface", r"kHz", r"409 POST .*/rate$", "there are takes at the session's rate, and it says so"),
    (r"/patch/interface", r"template", r"400 POST .*/template$", "it has no name yet, and it says so"),
    (r"/patch/check", r"^knock", r"nothing", "a knock is seen on a meter"),
    (r"/takes/sheet/", r"Draw|bar, beat or time", r"400 POST .*/draw$", "from or to is empty, and it says so"),
    (r"/listen/ears", r"^(Main mix|Cue)", r"nothing", "it is shown beside already"),
    (r"/listen/guide", r"^(Bar|Beats?|Place)$", r"400 POST .*/place$", "no key is chosen, and it says so"),
    (r"", "…", r"nothing", "it is at it already, and says so"),
    (r"/levels/pairs", r"^Compare$", r"409 GET .*/compare", "nothing sounded there lately, and it says so"),
    (r"/takes/compared/", r"^Compare$", r"409 POST", "there are no two takes there, and it says so"),
    (r"/takes/bin/", r"Delete what is ticked", r"400", "nothing was ticked, and it says so"),
    (r"/timing/trip", r"Measure|Compare", r"4\d\d|nothing", "no cable is plugged, or no take was played, and it says so"),
    (r"/timing/tempo", r"^Tap it here", r"nothing", "it waits for the next tap, and says so already"),
    (r"/s/2/capture", r"^(good|maybe|no)$", r"409 POST .*/rate$", "nothing was captured, and it says so"),
    (r"/s/2/", r"^Keep what I just heard", r"409 POST .*/keep$", "no track is fed, and it says so"),
    (r"/s/2/", r"^(Listen to|Start the line check|Measure all|Keep 10 s|Compare)", r"40[09] ", "nothing is listed at any socket, and it says so"),
    (r"/s/2/takes/", r"^Write what is in use", r"409 POST .*/write$", "nothing is in use, and it says so"),
    (r"", r"^Capture$", r"409 POST .*/capture$", "no track is armed, and it says so"),
    (r"", r"^loop$", r"409 POST .*/range/loop$", "there is no range, and it says so"),
    (r"", r"^(To the bin|▶|Play from its start|Make it the range)$", r"409|404", "nothing was captured, and it says so"),
    (r"/takes/cut/", r"lay room tone", r"409 POST .*/room-tone$", "there is no gap, and it says so"),
    (r"/takes/cut/", r"whole song|^00:", r"nothing", "the whole song is shown, and the piece is chosen already"),
    (r"^/$", r"Make the session", r"nothing", "the browser asks for a name"),
    (r"", r"Day or night|Change between day and night", r"nothing", "it changes colours, which are not looked at here"),
    (r"", r"Forget held peaks|peak$", r"nothing", "meters are not looked at here"),
)
READS = ((r"", r"", r"^403 ", "an assistant reads; what is the engineer's is refused, and it says so"),)

SHOWN = """() => {
  const gone = "#clock, #bars, #samples, #behind, #silent, #dropouts, canvas, output, #deck-log, #listen-words, progress, script, #away, [data-volatile]";
  const copy = document.body.cloneNode(true);
  const live = [...document.body.querySelectorAll("input, select, textarea")];
  [...copy.querySelectorAll("input, select, textarea")].forEach((field, n) => {
    field.setAttribute("data-now", live[n].type === "checkbox" || live[n].type === "radio" ? live[n].checked : live[n].value);
  });
  for (const node of copy.querySelectorAll(gone)) node.remove();
  for (const node of [copy, ...copy.querySelectorAll("*")]) {
    for (const { name } of [...node.attributes]) if (/^(data-revision|style|tabindex|hx-|data-waves|data-used|data-rev)/.test(name)) node.removeAttribute(name);
  }
  const here = document.activeElement;
  return [location.pathname + location.search, document.querySelectorAll("dialog[open], :popover-open").length, document.body.dataset.state,
    document.getElementById("message")?.textContent, localStorage.length, scrollY,
    [...document.querySelectorAll("details")].map((one) => one.open).join(),
    document.documentElement.dataset.theme, [...copy.innerHTML.replace(/\\s+/g, " ")].reduce((sum, c) => (Math.imul(sum, 31) + c.charCodeAt(0)) | 0, 7)];
}"""

CHANGED = f"before => JSON.stringify(({SHOWN})()) !== JSON.stringify(before)"

CONTROLS = """() => {
  const out = [];
  const all = document.querySelectorAll("button, a[href], input, select, textarea, summary, [role=button], [role=gridcell][tabindex='0']");
  all.forEach((node, n) => {
    if (node.disabled || node.type === "hidden" || node.type === "file" || node.closest("dialog:not([open]), [inert], [hidden], template")) return;
    const box = node.getBoundingClientRect();
    if (!node.checkVisibility() || box.width < 2 || box.height < 2) return;
    node.dataset.crawled = n;
    const label = node.getAttribute("aria-label") || node.textContent.trim() || node.closest("label")?.textContent.trim() || node.title || node.name || node.href || "";
    const shell = Boolean(node.closest("header, aside[aria-label=Deck], #keys"));
    out.push({ n, shell, tag: node.tagName.toLowerCase(), type: node.type || "", label: label.replace(/\\s+/g, " ").slice(0, 70), draws: node.dataset.press || node.id || "",
      chosen: node.getAttribute("aria-pressed") === "true" && Boolean(node.closest("[role=group]")) });
  });
  return out;
}"""


@dataclass(frozen=True)
class Control:
    """``shell``: of the frame that all pages of a session have. ``chosen``: one of several, and the one that counts."""

    n: int
    shell: bool
    tag: str
    type: str
    label: str
    draws: str
    chosen: bool

    @property
    def kind(self) -> str:
        """The same for controls that differ in numbers and in what their row is called."""
        words = re.sub(r"[\d.,:+−-]+|“.*?”", "#", self.label)
        return f"{self.tag} {self.type} {re.sub(r'#.*', '#', re.sub(r'[0-9]+', '#', self.draws)) or words[:14]}"


def _alike(one: Control, other: Control) -> bool:
    return (one.label, one.draws, one.tag) == (other.label, other.draws, other.tag)


Chosen = Callable[[str, Control, str], bool]


@dataclass
class Report:
    pressed: int = 0
    complaints: list[str] = field(default_factory=list)


class Crawler:
    """On a page of any device. ``engineer`` sets things up, and back, on the studio machine itself at ``desk_url``;
    ``chosen`` says which controls of a page are pressed, for those who have not the time for all; ``reads``: it is an
    assistant's."""

    def __init__(
        self, page: Page, url: str, engineer: APIRequestContext, desk_url: str, chosen: Chosen = lambda *_: True, reads: bool = False
    ) -> None:
        self.page, self.url, self._engineer, self._desk_url, self._chosen = page, url, engineer, desk_url, chosen
        self._expected = (*EXPECTED, *(READS if reads else ()))
        self.report = Report()
        self._wrong: list[str] = []
        self._chooses: list[bool] = []
        self._counts: dict[str, int] = {}
        page.on("response", self._answered)
        page.on("console", lambda m: self._wrong.append(f"console: {m.text[:160]}") if m.type == "error" and not SAID.search(m.text) else None)
        page.on("pageerror", lambda e: self._wrong.append(f"error: {str(e)[:160]}"))
        page.on("dialog", lambda d: d.accept())
        page.on("filechooser", lambda _: self._chooses.append(True))

    def _answered(self, response: Response) -> None:
        with suppress(Error):
            if response.status >= 400 and "cattailer-yes" not in response.headers:
                self._wrong.append(f"{response.status} {response.request.method} {response.url.removeprefix(self.url)}")

    def crawl(self, address: str, session: str = "") -> None:
        """Presses the controls of a page by mouse and by keyboard. What an edit changed is undone again. Those of the
        frame, which all pages of a stage have, are pressed on the first of them."""
        self._go(address, session)
        for control in list(self._controls()):
            place = re.sub(r"(/s/\d+/\w+).*", r"\1", address) if control.shell else address
            counted = f"{place} {control.kind}"
            self._counts[counted] = self._counts.get(counted, 0) + 1
            if self._counts[counted] > ALIKE:
                continue
            for way in (MOUSE,) if control.tag == "a" else (MOUSE, KEYBOARD):  # a link is the browser's own
                if self._chosen(address, control, way):
                    try:
                        self._try(address, session, control, way)
                    except Error:  # a page that a press before had asked for came just now
                        self._go(address, session)
                        self._try(address, session, control, way)

    def _controls(self) -> Iterator[Control]:
        for found in self.page.evaluate(CONTROLS):
            yield Control(**found)

    def _go(self, address: str, session: str) -> None:
        if session:
            self._engineer.post(f"{self._desk_url}/s/{session}/stop", form={})
            self._engineer.post(f"{self._desk_url}/s/{session}/open")
        for again in (True, False):  # what was pressed before may lead elsewhere just now
            try:
                self.page.goto(f"{self.url}{address}")
                break
            except Error:
                if not again:
                    raise
        with suppress(Error):
            self.page.wait_for_function("window.cattailerStats?.frames > 0", timeout=4000) if session else self.page.wait_for_load_state()
        self.page.wait_for_timeout(150)
        self._wrong.clear()

    def _try(self, address: str, session: str, control: Control, way: str) -> None:
        page = self.page
        if page.url != f"{self.url}{address}" or page.locator("dialog[open]").count() or page.evaluate("document.body.dataset.state") not in (None, "stopped"):
            self._go(address, session)
        if not any(_alike(c, control) for c in self._controls()):
            self._go(address, session)
        page.evaluate("document.getElementById('message')?.click()")
        revision = page.evaluate("Number(document.querySelector('[data-revision]:not(body)')?.dataset.revision ?? 0)")
        before = page.evaluate(SHOWN)
        self._wrong.clear()
        self._chooses.clear()
        self.report.pressed += 1
        for last in (False, True):  # rows may be fetched again between looking and pressing
            found = next((c for c in self._controls() if _alike(c, control)), None)
            try:
                if found is None:
                    return
                self._press(page.locator(f"[data-crawled='{found.n}']").first, control, way)
                control = found
                break
            except Error as why:
                if last:
                    self._wrong.append(f"cannot be pressed: {str(why).splitlines()[0][:120]}")
        page.wait_for_timeout(SETTLE_MS)
        complaints = list(self._wrong)
        with suppress(Error):
            stays = page.url == f"{self.url}{address}" and not page.locator("dialog[open]").count()
            if way == KEYBOARD and stays and control.tag != "a" and not self._becomes("document.activeElement !== document.body"):
                complaints.append("focus is lost to the body")
            if not complaints and not self._chooses and self._should_change(control) and not self._becomes(CHANGED, before):
                complaints.append("changes nothing and says nothing")
        for said in complaints:
            if not any(re.search(a, address) and re.search(c, control.label) and re.search(w, said) for a, c, w, _ in self._expected):
                self.report.complaints.append(f"{address} · {way} · {control.tag} “{control.label}” [{control.draws}]: {said}")
        self._take_back(session, revision)

    @staticmethod
    def _should_change(control: Control) -> bool:
        """A field that is left as it stands says nothing, as does a choice that is made already; and a link to the page
        itself leads there."""
        return not control.chosen and (control.tag not in ("input", "select", "textarea", "a") or control.type == "checkbox")

    def _becomes(self, what: str, arg: object = None) -> bool:
        """Whether something is so now, or within a time in which the slowest machine gets there."""
        for _ in range(PATIENCE):
            if self.page.evaluate(what, arg):
                return True
            self.page.wait_for_timeout(SETTLE_MS)
        return False

    @staticmethod
    def _press(node, control: Control, way: str) -> None:  # type: ignore[no-untyped-def]
        if way == MOUSE:
            node.click(timeout=PRESS_MS, no_wait_after=True)
            return
        node.focus(timeout=PRESS_MS)
        if control.tag == "select":
            node.press("ArrowDown", timeout=PRESS_MS, no_wait_after=True)
        elif control.type in ("checkbox", "radio"):
            node.press("Space", timeout=PRESS_MS, no_wait_after=True)
        elif control.type == "range":
            node.press("ArrowRight", timeout=PRESS_MS, no_wait_after=True)
        else:
            node.press("Enter", timeout=PRESS_MS, no_wait_after=True)

    def _take_back(self, session: str, revision: int) -> None:
        with suppress(Error):
            self.page.keyboard.press("Escape")
            now = self.page.evaluate("Number(document.querySelector('[data-revision]:not(body)')?.dataset.revision ?? 0)")
            if session and now > revision:
                self._engineer.post(f"{self._desk_url}/s/{session}/undo")
