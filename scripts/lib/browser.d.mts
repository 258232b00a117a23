import type { Browser } from "puppeteer-core";
export function launchBrowser(): Promise<Browser>;
