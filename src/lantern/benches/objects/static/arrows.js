// Which ways of a line raise, as the server tells it: by the value of a dial, or always the same.
export const arrowsOf = ({ dial, ways }, dials) => ways[dial === "" ? "" : String(dials[dial])];
