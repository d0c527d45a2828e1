/** Lets the person choose a file of some kinds, as the browser names them. */
export function chooseFile(accept: string, take: (file: File) => void): void {
  const input = document.createElement("input");
  input.type = "file";
  input.accept = accept;
  input.onchange = () => input.files?.[0] && take(input.files[0]);
  input.click();
}
