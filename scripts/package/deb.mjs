export function makeDeb() { return "/dev/null"; }
