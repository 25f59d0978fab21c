// @ts-check
// Behaviour of the pages. Computation is the server's; here are only steps, drafts and keys, a component a file.

import { autoSend } from "./components/autoSend.js";
import { bookPage } from "./components/bookPage.js";
import { drawnLine } from "./components/drawnLine.js";
import { fold } from "./components/fold.js";
import { item } from "./components/item.js";
import { kept } from "./components/kept.js";
import { keptForm } from "./components/keptForm.js";
import { mapPick } from "./components/mapPick.js";
import { palette } from "./components/palette.js";
import { printer } from "./components/printer.js";
import { quickCar } from "./components/quickCar.js";
import { raceKeys } from "./components/raceKeys.js";
import { sheetBench } from "./components/sheetBench.js";
import { shell } from "./components/shell.js";
import { speaker } from "./components/speaker.js";
import { spots } from "./components/spots.js";
import { stepsFold } from "./components/stepsFold.js";
import { thread } from "./components/thread.js";
import { trainerKeys } from "./components/trainerKeys.js";
import { zoomMap } from "./components/zoomMap.js";
import { onItsWay, putBack, settle } from "./sent.js";
import { asSignedIn, watchSession } from "./session.js";

const COMPONENTS = {
  autoSend, bookPage, drawnLine, fold, item, kept, keptForm, mapPick, palette, printer, quickCar, raceKeys, sheetBench, shell, speaker, spots, stepsFold, thread, trainerKeys, zoomMap,
};

settle();
putBack();
watchSession();
document.addEventListener("submit", (event) => {
  if (event.defaultPrevented) return;
  onItsWay(event.target);
  asSignedIn(event.target);
});

document.addEventListener("alpine:init", () => {
  for (const [name, component] of Object.entries(COMPONENTS)) Alpine.data(name, component);

  // An item that the address names is in focus at once.
  const named = document.getElementById(window.location.hash.slice(1));
  if (named && named.matches("input, textarea")) setTimeout(() => named.focus(), 0);
});

// A table that fits its place needs no scroller of its own: the head of a long one then stays at the top of the window.
const fitting = new ResizeObserver((seen) => {
  for (const { target } of seen) {
    target.classList.remove("fits");
    target.classList.toggle("fits", target.scrollWidth <= target.offsetWidth); // its own bars, if it has them, take no room
  }
});
document.querySelectorAll(".scroll").forEach((place) => fitting.observe(place));
