//! Document type declarations of XML: what a file declares before its first element, as the standard has it.

use gypsum_core::doc::Family;
use gypsum_core::witness::well_formed;

fn reads(text: &str) -> Result<(), String> {
    let dialect = Family::Xml.plain_dialect();
    well_formed(Family::Xml, text.as_bytes(), &dialect).map_err(|why| why.why)
}

/// Each is the inside of `<!DOCTYPE a [ … ]>`.
#[test]
fn declarations_are_read_by_their_grammar() {
    for subset in [
        "",
        "<!ELEMENT a EMPTY>",
        "<!ELEMENT a ANY >",
        "<!ELEMENT a (#PCDATA)>",
        "<!ELEMENT a ( #PCDATA )*>",
        "<!ELEMENT a (#PCDATA | b|c )*>",
        "<!ELEMENT a (b)>",
        "<!ELEMENT a (b?, c*, (d | e)+)?>",
        "<!ELEMENT a (b|c|d)*>",
        "<!ATTLIST a>",
        "<!ATTLIST a b CDATA #REQUIRED c ID #IMPLIED>",
        "<!ATTLIST a b NMTOKENS 'x y' c IDREFS #FIXED \"z\">",
        "<!ATTLIST a b (one|2nd | three) 'one' >",
        "<!ATTLIST a b NOTATION (gif | png) #IMPLIED>",
        "<!ENTITY quay 'North &#38;amp; South'><!ATTLIST a b CDATA '&quay;'>",
        "<!ENTITY quay 'North'>",
        "<!ENTITY quay SYSTEM 'quay.xml'>",
        "<!ENTITY quay PUBLIC '-//Saltmarsh//Quay' 'quay.xml'>",
        "<!ENTITY ship SYSTEM 'ship.png' NDATA png>",
        "<!ENTITY % more SYSTEM 'more.ent'> %more;",
        "<!NOTATION png SYSTEM 'png'>",
        "<!NOTATION png PUBLIC 'png'>",
        "<!NOTATION png PUBLIC 'png' 'viewer' >",
        "<!-- a remark --> <?board now?>",
    ] {
        assert_eq!(reads(&format!("<!DOCTYPE a [{subset}]><a/>")), Ok(()), "{subset}");
    }
    for (subset, why) in [
        ("<!ELEMENT a>", "blank"),
        ("<!ELEMENT a b>", "what the element may hold"),
        ("<!ELEMENT a (b,c|d)>", "a comma, a bar or a bracket"),
        ("<!ELEMENT a (#PCDATA|b)>", "*"),
        ("<!ELEMENT a (b", "a comma, a bar or a bracket"),
        ("<!ELEMENT a (b) c>", ">"),
        ("<!ATTLIST a b>", "blank"),
        ("<!ATTLIST a b WORD #IMPLIED>", "no type of an attribute"),
        ("<!ATTLIST a b CDATA 'x<y'>", "may not hold <"),
        ("<!ATTLIST a b CDATA 'x'c CDATA 'y'>", "a blank is missing"),
        ("<!ATTLIST a b CDATA '&tide;'>", "tide is not declared"),
        ("<!ATTLIST a b NOTATION CDATA #IMPLIED>", "no type of an attribute"),
        ("<!ENTITY quay>", "blank"),
        ("<!ENTITY quay North>", "the value of the entity"),
        ("<!ENTITY quay '%more;'>", "a parameter may not be inside"),
        ("<!ENTITY quay PUBLIC 'north'>", "a blank is missing"),
        ("<!ENTITY quay PUBLIC '{}' 'x'>", "{"),
        ("<!NOTATION png>", "blank"),
        ("<!NOTATION png 'x'>", "SYSTEM or PUBLIC"),
        ("<!QUAY a>", "no declaration"),
        ("north", "no declaration"),
    ] {
        let said = reads(&format!("<!DOCTYPE a [{subset}]><a/>"));
        assert!(said.as_ref().is_err_and(|said| said.contains(why)), "{subset}: {said:?}");
    }
}

/// Each is what is declared, and the element that refers to it.
#[test]
fn references_mean_what_was_declared() {
    let document = |subset: &str, element: &str| format!("<!DOCTYPE a [{subset}]>{element}");
    for (subset, element) in [
        ("<!ENTITY q 'North'>", "<a b='&q;'>&q; &lt; &#65; &#x41;</a>"),
        ("<!ENTITY q '<b>x</b>'>", "<a>&q;</a>"),
        ("<!ENTITY q '<b>&r;</b>'><!ENTITY r 'x'>", "<a>&q;</a>"),
        ("<!ENTITY q SYSTEM 'q.xml'>", "<a>&q;</a>"),
        // What another file may declare is not known here.
        ("<!ENTITY % m SYSTEM 'm'> %m;", "<a>&q;</a>"),
        // The first declaration counts.
        ("<!ENTITY q 'x'><!ENTITY q '<b>'>", "<a>&q;</a>"),
    ] {
        assert_eq!(reads(&document(subset, element)), Ok(()), "{subset} {element}");
    }
    for (subset, element, why) in [
        ("", "<a>&q;</a>", "q is not declared"),
        ("<!ENTITY q '<b>'>", "<a>&q;</a>", "in the entity q"),
        ("<!ENTITY q 'x</a>'>", "<a>&q;</a>", "in the entity q"),
        ("<!ENTITY q '&r;'><!ENTITY r '&q;'>", "<a>&q;</a>", "holds itself"),
        ("<!ENTITY q '<b/>'>", "<a b='&q;'/>", "may not hold <"),
        ("<!ENTITY q SYSTEM 'q.xml'>", "<a b='&q;'/>", "may not refer to another file"),
        ("<!ENTITY q SYSTEM 'q.png' NDATA png>", "<a>&q;</a>", "is no XML"),
        ("", "<a>&#0;</a>", "no character"),
        ("", "<a>&#xD800;</a>", "no character"),
        ("", "<a>&#;</a>", "no character"),
        ("", "<a>&lt</a>", ";"),
    ] {
        let said = reads(&document(subset, element));
        assert!(said.as_ref().is_err_and(|said| said.contains(why)), "{subset} {element}: {said:?}");
    }
    for outside in
        ["<!DOCTYPE a SYSTEM 'a.dtd'><a>&q;</a>", "<!DOCTYPE a PUBLIC 'x' 'a.dtd'><a/>", "<!DOCTYPE a><a/>"]
    {
        assert_eq!(reads(outside), Ok(()), "{outside}");
    }
}
