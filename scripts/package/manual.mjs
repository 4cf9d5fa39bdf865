/** The manual page, of what `eremos help` says. Source: man-pages(7), groff_man(7). */
import { readHelp } from "./help.mjs";

const escaped = (text) =>
  text
    .replaceAll("\\", "\\e")
    .replaceAll("-", "\\-")
    .replace(/^(['.])/, "\\&$1");

export function manual(help, version) {
  const { title, commands, options, closing } = readHelp(help);
  const paragraphs = (entries) =>
    entries.map(({ usage, text }) => `.TP\n.B ${escaped(usage)}\n${escaped(text)}`).join("\n");
  const [path, exit, settings] = closing;
  return `.TH EREMOS 1 "" "Eremos ${version}" "User Commands"
.SH NAME
eremos \\- ${escaped(title)}
.SH SYNOPSIS
.B eremos
.I COMMAND
.RI [ PATH... ]
.RI [ OPTIONS ]
.PP
Without a command, it shows its page in the browser.
.SH COMMANDS
${paragraphs(commands)}
.SH OPTIONS
${paragraphs(options)}
.PP
${escaped(path)}
.SH EXIT STATUS
${escaped(exit.replace(/^Exit codes: /, ""))}
.SH ENVIRONMENT
${escaped(settings.replace(/^Settings: /, ""))}
.SH FILES
.TP
.B ~/.local/share/eremos
what Eremos keeps of its own, for this account alone
.TP
.B /usr/lib/eremos/versions/*/program/rescue/dist
the readers that open what is locked without Eremos
`;
}
