// A list dropped anywhere on the page begins the Run at once; one that was
// chosen waits for the rest of the form.
const form = document.getElementById("newrun");
const input = document.getElementById("list");
addEventListener("dragover", (event) => {
  if (event.dataTransfer?.types.includes("Files")) event.preventDefault();
});
addEventListener("drop", (event) => {
  if (!event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  const one = new DataTransfer();
  if (event.dataTransfer.files.length > 0) one.items.add(event.dataTransfer.files[0]);
  input.files = one.files;
  form.requestSubmit();
});
