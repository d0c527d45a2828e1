/** What is typed into a number's field: a number, or a sum of numbers (`120/2`, `1080 - 2*60`), with a unit or not. */

/** The value, or null for what is none; what follows it, such as a unit, is left out. */
export function summed(text: string): number | null {
  const said = text.replaceAll(",", ".").replaceAll("×", "*").replaceAll("−", "-");
  let at = 0;

  const next = () => {
    while (said[at] === " ") at++;
    return said[at];
  };

  function factor(): number {
    const sign = next();
    if (sign === "+" || sign === "-") {
      at++;
      return sign === "-" ? -factor() : factor();
    }
    if (sign === "(") {
      at++;
      const inner = terms();
      if (next() === ")") at++;
      return inner;
    }
    const found = /^(?:\d+\.?\d*|\.\d+)/.exec(said.slice(at));
    if (!found) return NaN;
    at += found[0].length;
    return Number(found[0]);
  }

  /** Operands joined by either of two signs, from left to right; a sign behind which no value stands is none. */
  function joined(
    operand: () => number,
    signs: string,
    join: (a: number, b: number, sign: string) => number,
  ) {
    let value = operand();
    for (let sign = next(); sign && signs.includes(sign); sign = next()) {
      const before = at++;
      const other = operand();
      if (Number.isNaN(other)) {
        at = before;
        break;
      }
      value = join(value, other, sign);
    }
    return value;
  }

  const products = () => joined(factor, "*/", (a, b, sign) => (sign === "*" ? a * b : a / b));
  const terms = (): number =>
    joined(products, "+-", (a, b, sign) => (sign === "+" ? a + b : a - b));

  const value = terms();
  return Number.isFinite(value) ? value : null;
}
