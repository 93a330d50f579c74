// The content policy lets only styles with this answer's nonce pass; Naive UI writes its style elements without one.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.nonce ?? '';
const create = document.createElement.bind(document);
document.createElement = ((name: string, options?: ElementCreationOptions) => {
  const element = create(name, options);
  if (name.toLowerCase() === 'style') element.setAttribute('nonce', nonce);
  return element;
}) as typeof document.createElement;

export {};
