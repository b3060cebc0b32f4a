//! The guide: how to use Pivvel, from a first cross-tab to every key of a brief. These are the documents of the project.
//!
//! Begin with the [tutorial]; the [glossary] has the words. Sessions in a shell are of the `pivvel` command; what it does,
//! this library does: [`Brief`](crate::Brief) is a brief, [`Build`](crate::Build) runs it.

macro_rules! pages {
    ($($(#[doc = $what:literal])* $name:ident from $file:literal,)*) => {
        $(
            $(#[doc = $what])*
            ///
            #[doc = include_str!(concat!(env!("OUT_DIR"), "/", $file, ".md"))]
            #[allow(rustdoc::broken_intra_doc_links, rustdoc::invalid_html_tags)]
            pub mod $name {}
        )*
    };
}

pages! {
    /// A file of one's own, a first look, a cross-tab, a brief, a page, and the next month.
    tutorial from "tutorial",
    /// Briefs, part by part.
    brief from "brief",
    /// Every key of a brief.
    keys from "keys",
    /// The formula language.
    formulas from "formulas",
    /// What stands out, by which scale and which rules.
    emphasis from "emphasis",
    /// Words, colours and a logo.
    appearance from "appearance",
    /// Where lines come from.
    sources from "sources",
    /// Results as tables.
    tidy_result from "tidy-result",
    /// From a cell to its lines, and where a number comes from.
    behind from "behind",
    /// What changed between two results.
    compare from "compare",
    /// What notices say.
    notices from "notices",
    /// Several files, several workers, results that are kept.
    growing from "growing",
    /// Briefs for common questions.
    recipes from "recipes",
    /// The command.
    command from "command",
    /// What to do about common messages.
    troubleshooting from "troubleshooting",
    /// How long it takes, and how much memory.
    performance from "performance",
    /// The words of this project.
    glossary from "glossary",
}
