import { z } from "zod";
import { IDENTIFIERS, IDENTIFIER_KINDS, identifierOf } from "../kernel/check-digits.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { kind: z.enum(IDENTIFIER_KINDS).describe("What it is") };

export type IdentifierOptions = OptionsOf<typeof options>;

export const identifier: StepPart<IdentifierOptions> = {
  id: "identifier",
  title: "Identifiers with check digits",
  about: "Writes an ISBN, EAN, IBAN and the like in its standard form, where its check digits are right.",
  options,
  words: ({ kind }) => `${IDENTIFIERS[kind]} in its standard form`,
  apply: ({ kind }) => byText((text) => identifierOf(kind, text) ?? text),
  examples: [
    { options: { kind: "isbn" }, from: "ISBN 0-306-40615-2", to: "9780306406157" },
    { options: { kind: "isbn" }, from: "978-0-306-40615-7", to: "9780306406157" },
    { options: { kind: "isbn" }, from: "0-306-40615-3", to: "0-306-40615-3" },
    { options: { kind: "issn" }, from: "03785955", to: "0378-5955" },
    { options: { kind: "ean" }, from: "4 006381 333931", to: "4006381333931" },
    { options: { kind: "iban" }, from: "gb82 west 1234 5698 7654 32", to: "GB82WEST12345698765432" },
    { options: { kind: "iban" }, from: "GB82 WEST 1234 5698 7654 33", to: "GB82 WEST 1234 5698 7654 33" },
    { options: { kind: "bic" }, from: "ashm gb 2l xxx", to: "ASHMGB2LXXX" },
    { options: { kind: "isin" }, from: "GB00ASHMER11", to: "GB00ASHMER11" },
    { options: { kind: "isin" }, from: "gb 00ASHMER12", to: "gb 00ASHMER12" },
    { options: { kind: "lei" }, from: "0000 ashm eres eedv 0173", to: "0000ASHMERESEEDV0173" },
    { options: { kind: "lei" }, from: "0000ASHMERESEEDV0174", to: "0000ASHMERESEEDV0174" },
    { options: { kind: "vat" }, from: "at u 12345678", to: "ATU12345678" },
    { options: { kind: "vat" }, from: "XX12345678", to: "XX12345678" },
    { options: { kind: "orcid" }, from: "https://orcid.org/0000-0002-1825-0097", to: "0000-0002-1825-0097" },
    { options: { kind: "orcid" }, from: "0000-0002-1825-0098", to: "0000-0002-1825-0098" },
    { options: { kind: "imei" }, from: "49-015420-323751-8", to: "490154203237518" },
    { options: { kind: "imei" }, from: "490154203237519", to: "490154203237519" },
    { options: { kind: "luhn" }, from: "7992-7398-713", to: "79927398713" },
    { options: { kind: "mod 11-2" }, from: "0000-0002-1825-0097", to: "0000000218250097" },
    { options: { kind: "mod 97-10" }, from: "794 44", to: "79444" },
  ],
};
