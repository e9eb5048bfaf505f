// A control that cannot be used now says why; "" when it can.
export const off = (control, why) => Object.assign(control, { disabled: why !== "", title: why });
