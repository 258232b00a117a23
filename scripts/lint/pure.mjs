/** Rules of lint that are our own. */

/** `new Date()` and `Date()` without a time given ask the clock. */
const noClock = {
  create(context) {
    const refuse = (node) => {
      if (node.callee.type !== "Identifier" || node.callee.name !== "Date") return;
      if (node.type === "NewExpression" && node.arguments.length > 0) return;
      context.report({
        node,
        message:
          "The core computes the same from the same: it asks no clock, no randomness, no environment and no network.",
      });
    };
    return { NewExpression: refuse, CallExpression: refuse };
  },
};

export default { meta: { name: "pure" }, rules: { "no-clock": noClock } };
