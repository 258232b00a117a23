/** Made-up people and places; the names of plants are common knowledge. */
export const TAXA = [
  "Silene uniflora", "Armeria maritima", "Crithmum maritimum", "Glaucium flavum", "Cakile maritima",
  "Eryngium maritimum", "Honckenya peploides", "Plantago coronopus", "Tripolium pannonicum", "Limonium binervosum",
  "Spergularia marina", "Suaeda maritima", "Salicornia europaea", "Atriplex littoralis", "Beta vulgaris",
  "Betula pubescens", "Sorbus aucuparia", "Calluna vulgaris", "Erica cinerea", "Vaccinium myrtillus",
  "Drosera rotundifolia", "Narthecium ossifragum", "Primula veris", "Centaurea nigra", "Knautia arvensis",
  "Succisa pratensis", "Lathyrus japonicus", "Mertensia maritima", "Viola tricolor", "Thymus polytrichus",
];

const GIVEN = ["Mel", "Ivo", "Sorrel", "Aud", "Peregrine", "Tamsin", "Bram", "Juniper", "Odo", "Ines", "José", "Zoë", "Marguérite", "Colm", "Hester", "Piran"];
const FAMILY = ["Tarrow", "Quenby", "Hatch-Pym", "Lindqvar", "Oxenridder", "Willowick", "Ketteridge", "Foxmoor", "Merrin", "Ålund", "Penhale", "Drewe", "O'Sallow", "Vance-Orr"];
export const COLLECTORS = FAMILY.flatMap((family) => GIVEN.map((given) => `${given} ${family}`));

export const SITES = [
  "Gull Ness", "Saltpan Row", "Outer Skerry", "Tern Bank", "Mill Creek", "Harrow Down", "Long Barrow", "Fallow Mere",
  "Thorn Gill", "Cold Fell", "Quill Fen, north", "Quill Fen, south", "Marrow Head", "Lantern Point", "Brindle Wood",
  "Hollow Lane", "Wether Hill", "Peat Moss Edge", "Kestrel Crag", "The Withies",
];

export const COUNTRIES = ["GB", "IE", "FR", "NO", "IS", "NL", "DK", "PT", "ES"];

export const REMARKS = [
  "", "", "", "", "two capsules split", "collected in light rain", "shaded bank, east side", "from nine plants",
  "n/a", "?", "see sheet 4 of the field book", "edge of the path", "some seed unripe", "population of about 200",
  "growing with grasses, on shingle", "kept \"as found\" in paper", "first sheet\nsecond sheet",
];
