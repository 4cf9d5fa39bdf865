/** Gives the browser a PDF to save. It is on the disk then, until it is printed: delete it afterwards. */
export function savePdf(base64: string, name: string): void {
  const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([bytes], { type: "application/pdf" }));
  link.download = `${name}.pdf`;
  link.click();
  URL.revokeObjectURL(link.href);
}
