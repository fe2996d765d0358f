// The seek bar and the keys of the page for listeners. Without it, the browser's own player does.
"use strict";

const sound = document.querySelector("audio");
if (sound) enhance(sound);

function enhance(sound) {
  const seek = document.querySelector(".seek input");
  const heard = document.querySelector("#played rect");
  const play = document.querySelector(".play");
  const now = document.querySelector(".now");
  const trouble = document.querySelector(".trouble");
  const chapters = [...document.querySelectorAll(".chapters [data-at]")];
  const at = document.querySelector(".write [name=at]");
  const length = Number(seek.max);
  let begun = false;

  for (const part of document.querySelectorAll(".seek, .keys")) part.hidden = false;
  sound.controls = false;

  const clock = (s) => {
    const whole = Math.floor(s);
    const two = (v) => String(v).padStart(2, "0");
    const minutes = whole >= 3600 ? `${Math.floor(whole / 3600)}:${two(Math.floor(whole / 60) % 60)}` : Math.floor(whole / 60);
    return `${minutes}:${two(whole % 60)}`;
  };

  /** Shows a place, whether it has been heard or is about to be. */
  function show(place) {
    seek.value = place;
    seek.setAttribute("aria-valuetext", `${clock(place)} of ${clock(length)}`);
    heard.setAttribute("width", (400 * place) / length);
    now.textContent = clock(place);
    let current;
    for (const c of chapters) if (Number(c.dataset.at) <= place + 0.05) current = c;
    for (const c of chapters) c.toggleAttribute("aria-current", c === current && (begun || place > 0));
  }

  function go(place) {
    sound.currentTime = Math.max(0, Math.min(length - 0.05, place));
    begun = true;
    show(sound.currentTime);
  }

  async function start() {
    trouble.textContent = "";
    try {
      await sound.play();
    } catch (error) {
      if (error.name !== "AbortError") trouble.textContent = "The sound cannot be played at the moment. Try again.";
    }
  }

  play.addEventListener("click", () => (sound.paused ? void start() : sound.pause()));
  for (const key of document.querySelectorAll("[data-by]")) {
    key.addEventListener("click", () => go(sound.currentTime + Number(key.dataset.by)));
  }
  // A pointer seeks to the very place; the arrow keys go by five seconds.
  seek.addEventListener("pointerdown", () => (seek.step = "0.1"));
  seek.addEventListener("keydown", () => (seek.step = "5"));
  seek.addEventListener("input", () => go(Number(seek.value)));
  for (const link of document.querySelectorAll("[data-at]")) {
    link.addEventListener("click", (event) => {
      event.preventDefault();
      go(Number(link.dataset.at));
      void start();
    });
  }
  for (const event of ["timeupdate", "seeked", "loadedmetadata"]) {
    sound.addEventListener(event, () => show(sound.currentTime));
  }
  for (const event of ["play", "pause", "ended"]) {
    sound.addEventListener(event, () => {
      begun ||= event === "play";
      play.textContent = sound.paused ? "Play" : "Pause";
      play.setAttribute("aria-pressed", String(!sound.paused));
    });
  }
  sound.addEventListener("error", () => {
    trouble.textContent = "The sound does not arrive at the moment. Reload the page to try again.";
  });
  if (at) at.addEventListener("focus", () => (at.value ||= clock(sound.currentTime)));
  show(0);
}
