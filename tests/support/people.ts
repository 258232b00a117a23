/** A feed of people as the tests of matching have it: its fields, and what of them is compared. */
export const PEOPLE_FIELDS = [
  { name: "no", type: "integer" },
  ...["given", "family"].map((name) => ({ name, type: "text", length: 60 })),
  { name: "born", type: "date" },
  { name: "town", type: "text", length: 60 },
  { name: "phone", type: "text", length: 20 },
];

export const PEOPLE_COMPARED = [
  { in: ["given"], by: "person" },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
  { in: ["phone"], by: "edit", as: "code" },
];
