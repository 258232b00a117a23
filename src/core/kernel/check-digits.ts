import isBic from "validator/lib/isBIC.js";
import isImei from "validator/lib/isIMEI.js";
import isIsin from "validator/lib/isISIN.js";
import isVat from "validator/lib/isVAT.js";

/** Kinds of identifiers whose check digits we know, with what people call them. */
export const IDENTIFIERS = {
  isbn: "ISBN",
  issn: "ISSN",
  ean: "EAN, UPC or GTIN",
  iban: "IBAN",
  bic: "BIC",
  isin: "ISIN",
  lei: "LEI",
  vat: "VAT number of the EU, by its form",
  orcid: "ORCID iD",
  imei: "IMEI",
  luhn: "a number with Luhn's check digit",
  "mod 11-2": "a number with ISO 7064's MOD 11-2 check character",
  "mod 97-10": "a code with ISO 7064's MOD 97-10 check digits",
} as const;
export type IdentifierKind = keyof typeof IDENTIFIERS;
export const IDENTIFIER_KINDS = Object.keys(IDENTIFIERS) as [IdentifierKind, ...IdentifierKind[]];

/** Lengths of IBANs by country, from the registry of ISO 13616 (SWIFT, 2024). */
const IBAN_LENGTHS: Record<string, number> = Object.fromEntries(
  (
    "AD24 AE23 AL28 AT20 AZ28 BA20 BE16 BG22 BH22 BI27 BR29 BY28 CH21 CR22 CY28 CZ24 DE22 DJ27 DK18 DO28 EE20 EG29 ES24 " +
    "FI18 FK18 FO18 FR27 GB22 GE22 GI23 GL18 GR27 GT28 HR21 HU28 IE22 IL23 IQ23 IS26 IT27 JO30 KW30 KZ20 LB28 LC32 LI21 " +
    "LT20 LU20 LV21 LY25 MC27 MD24 ME22 MK19 MN20 MR27 MT31 MU30 NI28 NL18 NO15 OM23 PK24 PL28 PS29 PT25 QA29 RO24 RS22 " +
    "RU33 SA24 SC31 SD18 SE24 SI19 SK24 SM27 SO23 ST25 SV28 TL23 TN24 TR26 UA29 VA22 VG24 XK20 YE30"
  )
    .split(" ")
    .map((entry) => [entry.slice(0, 2), Number(entry.slice(2))]),
);

/** Countries of the EU by how their VAT numbers begin. */
const VAT_COUNTRIES: ReadonlySet<string> = new Set(
  "AT BE BG CY CZ DE DK EE EL ES FI FR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK".split(" "),
);

const digitsOnly = (text: string): boolean => /^\d+$/.test(text);

/** Digits weighted in turn, the last by 1: the sum that a modulus must divide. */
function weighted(code: string, weight: (fromEnd: number) => number): number {
  let sum = 0;
  for (let i = 0; i < code.length; i++) {
    const c = code[i]!;
    sum += (c === "X" ? 10 : Number(c)) * weight(code.length - 1 - i);
  }
  return sum;
}

/** Letters as two digits, A 10 to Z 35, and the number's rest by 97 (ISO/IEC 7064). */
function mod97(code: string): number {
  let rest = 0;
  for (const c of code) {
    const n = parseInt(c, 36);
    rest = (rest * (n > 9 ? 100 : 10) + n) % 97;
  }
  return rest;
}

/** ISO/IEC 7064's MOD 11-2: each character doubles what came before it. */
function mod11(code: string): boolean {
  let rest = 0;
  for (const c of code) rest = (rest * 2 + (c === "X" ? 10 : Number(c))) % 11;
  return rest === 1;
}

/**
 * An identifier without spaces, hyphens and its name before it, in upper case, when its length and
 * check digits are right; else null. An ISBN of ten digits becomes one of thirteen.
 */
export function identifierOf(kind: IdentifierKind, text: string): string | null {
  const code = text
    .toUpperCase()
    .replace(
      /^\s*(?:ISBN(?:-1[03])?|ISSN|IBAN|EAN|GTIN|BIC|ISIN|LEI|IMEI|ORCID|(?:HTTPS?:\/\/)?ORCID\.ORG\/)\s*:?\s*/,
      "",
    )
    .replace(/[\s\-\u2010-\u2015.]/g, "");
  switch (kind) {
    case "isbn":
      if (/^\d{9}[\dX]$/.test(code) && weighted(code, (i) => i + 1) % 11 === 0) {
        const body = `978${code.slice(0, 9)}`;
        return body + ((10 - (weighted(`${body}0`, (i) => (i % 2 === 1 ? 3 : 1)) % 10)) % 10);
      }
      return /^97[89]\d{10}$/.test(code) && weighted(code, (i) => (i % 2 === 1 ? 3 : 1)) % 10 === 0 ? code : null;
    case "issn":
      return /^\d{7}[\dX]$/.test(code) && weighted(code, (i) => i + 1) % 11 === 0
        ? `${code.slice(0, 4)}-${code.slice(4)}`
        : null;
    case "ean":
      return digitsOnly(code) &&
        [8, 12, 13, 14].includes(code.length) &&
        weighted(code, (i) => (i % 2 === 1 ? 3 : 1)) % 10 === 0
        ? code
        : null;
    case "iban":
      return /^[A-Z]{2}\d{2}[A-Z0-9]+$/.test(code) &&
        code.length === IBAN_LENGTHS[code.slice(0, 2)] &&
        mod97(code.slice(4) + code.slice(0, 4)) === 1
        ? code
        : null;
    case "bic":
      return isBic(code) ? code : null;
    case "isin":
      return isIsin(code) ? code : null;
    case "imei":
      return digitsOnly(code) && isImei(code) ? code : null;
    case "lei":
      return /^[A-Z0-9]{18}\d{2}$/.test(code) && mod97(code) === 1 ? code : null;
    case "vat": {
      const country = code.slice(0, 2);
      return VAT_COUNTRIES.has(country) && isVat(code, country as Parameters<typeof isVat>[1]) ? code : null;
    }
    case "orcid":
      return /^\d{15}[\dX]$/.test(code) && mod11(code) ? code.replace(/(.{4})(?=.)/g, "$1-") : null;
    case "luhn": {
      const sum = [...code].reduce((n, c, i) => {
        const d = Number(c) * ((code.length - 1 - i) % 2 === 1 ? 2 : 1);
        return n + (d > 9 ? d - 9 : d);
      }, 0);
      return digitsOnly(code) && code.length > 1 && sum % 10 === 0 ? code : null;
    }
    case "mod 11-2":
      return /^\d+[\dX]$/.test(code) && mod11(code) ? code : null;
    case "mod 97-10":
      return /^[A-Z0-9]{3,}$/.test(code) && mod97(code) === 1 ? code : null;
  }
}
