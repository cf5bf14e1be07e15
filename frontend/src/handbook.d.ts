declare module "virtual:handbook" {
  /** A page: its HTML is made as the front end is built, from Markdown of ours. */
  const pages: { id: string; title: string; text: string; html: string }[];
  export default pages;
}
