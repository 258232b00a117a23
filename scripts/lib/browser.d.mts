import type { Browser } from "puppeteer-core";
export function launchBrowser(options?: { names?: readonly string[] }): Promise<Browser>;
