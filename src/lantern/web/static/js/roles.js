// What whoever looks at the page may do on its site; the server refuses the rest whatever the page shows.
export const may = (role) => (document.body.dataset.may ?? "").split(" ").includes(role);
