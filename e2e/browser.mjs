// Debian's Chromium under Playwright, and the demo's sign-in.
import { chromium } from "playwright-core";

export const demo = { email: "demo@nelko.example", password: "lantern-regatta" };

export function open() {
  return chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: [
      "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
      "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream", // a microphone that beeps
      "--disable-component-update", "--disable-sync", "--autoplay-policy=no-user-gesture-required",
    ],
  });
}

export async function signIn(page, who = demo) {
  await page.goto("/signin");
  await page.fill("#email", who.email);
  await page.fill("#password", who.password);
  await page.click("button:text-is('Sign in')");
  await page.waitForURL((url) => url.pathname !== "/signin");
}
