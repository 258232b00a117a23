/**
 * A look at a formula's tokens, for colours and for saying where its syntax is broken: the grammar's
 * parser knows that it is, and often not where.
 */

export type TokenKind = "name" | "number" | "text" | "operator" | "open" | "close" | "comma" | "word" | "unknown";

export interface Token {
  readonly kind: TokenKind;
  readonly from: number;
  readonly to: number;
  readonly text: string;
}

/** Where a formula is wrong, as offsets in its source, and how. */
export interface FormulaFault {
  readonly message: string;
  readonly from: number;
  readonly to: number;
}

const TOKEN =
  /\s+|\/\/[^\n]*|(?<text>[rR]?[bB]?(?:"""[\s\S]*?"""|'''[\s\S]*?'''|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'))|(?<number>0x[0-9a-fA-F]+u?|(?:\d+\.\d+|\.\d+|\d+)(?:[eE][+-]?\d+)?u?)|(?<name>[A-Za-z_][A-Za-z0-9_]*)|(?<operator>&&|\|\||==|!=|<=|>=|[-+*/%<>!?:.])|(?<open>[([{])|(?<close>[)\]}])|(?<comma>,)|(?<unknown>[\s\S])/gy;

const WORDS = new Set(["true", "false", "null", "in"]);
const CLOSES: Record<string, string> = { "(": ")", "[": "]", "{": "}" };
/** Operators that may stand before a value and not only between two. */
const BEFORE = new Set(["-", "!"]);

export function tokens(source: string): Token[] {
  const found: Token[] = [];
  TOKEN.lastIndex = 0;
  for (let match = TOKEN.exec(source); match && match[0] !== ""; match = TOKEN.exec(source)) {
    const groups = match.groups!;
    const kind = (Object.keys(groups) as TokenKind[]).find((k) => groups[k] !== undefined);
    if (!kind) continue;
    const text = match[0];
    found.push({
      kind: kind === "name" && WORDS.has(text) ? "word" : kind,
      from: match.index,
      to: match.index + text.length,
      text,
    });
  }
  return found;
}

/** What is wrong with the order of a formula's tokens, or null when nothing is seen to be. */
export function syntaxFault(source: string): FormulaFault | null {
  const list = tokens(source);
  const fault = (message: string, t: Pick<Token, "from" | "to">): FormulaFault => ({ message, from: t.from, to: t.to });
  if (list.length === 0) return { message: "The formula is empty.", from: 0, to: source.length };
  const open: Token[] = [];
  let value = false;
  let before: Token | null = null;
  for (const t of list) {
    switch (t.kind) {
      case "unknown":
        return fault(
          t.text === '"' || t.text === "'"
            ? "This quote is never closed."
            : t.text === "="
              ? "Two values are compared by ==."
              : `“${t.text}” means nothing here.`,
          t,
        );
      case "open":
        if (value && t.text === "{") return fault("Nothing can follow a value here but an operator.", t);
        // After a value these are a call or a part of a list.
        if (!value || before?.kind === "name" || t.text === "[") open.push(t);
        else return fault("An operator is missing before this bracket.", t);
        value = false;
        break;
      case "close": {
        const last = open.pop();
        if (!last) return fault(`No bracket is open that “${t.text}” would close.`, t);
        if (CLOSES[last.text] !== t.text) return fault(`“${last.text}” is closed by “${CLOSES[last.text]}”.`, t);
        if (!value && before !== last && before?.kind !== "comma") {
          return fault(`A value is missing before “${t.text}”.`, t);
        }
        value = true;
        break;
      }
      case "comma":
        if (open.length === 0) return fault("A comma stands only between what is in brackets.", t);
        if (!value) return fault("A value is missing before this comma.", t);
        value = false;
        break;
      case "operator":
        if (t.text === "." ? !value : !value && !BEFORE.has(t.text)) {
          return fault(`A value is missing before “${t.text}”.`, t);
        }
        if (value && t.text === "!") return fault("An operator is missing before “!”.", t);
        value = false;
        break;
      default:
        if (t.kind === "word" && t.text === "in") {
          if (!value) return fault("A value is missing before “in”.", t);
          value = false;
          break;
        }
        if (value) return fault(`An operator is missing before “${t.text}”.`, t);
        value = true;
    }
    before = t;
  }
  const last = open.at(-1);
  if (last) return fault(`“${last.text}” is never closed.`, last);
  if (!value) return { message: `A value is missing after “${before!.text}”.`, from: before!.from, to: before!.to };
  const mark = list.findIndex((t) => t.text === "?");
  if (mark >= 0 && !list.slice(mark).some((t) => t.text === ":")) {
    return fault("“?” needs “:” and what holds otherwise.", list[mark]!);
  }
  return null;
}
