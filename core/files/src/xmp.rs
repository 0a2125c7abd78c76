//! XMP packets (ISO 16684-1) with the panorama properties: reading, making, merging.
//!
//! Foreign properties of a packet are kept to the letter; only panorama properties are replaced.

use crate::error::{FileError, Result};
use crate::fingerprint::Fingerprint;
use crate::pano::PanoProperties;
use quick_xml::events::attributes::Attribute;
use quick_xml::events::{BytesStart, Event};
use quick_xml::name::{Namespace, ResolveResult};
use quick_xml::{NsReader, Writer, XmlVersion};

/// The namespace of the panorama properties.
pub const PANO_NS: &str = "http://ns.google.com/photos/1.0/panorama/";
const RDF_NS: &str = "http://www.w3.org/1999/02/22-rdf-syntax-ns#";
/// Longest packet that fits a JPEG segment (XMP part 3), bytes.
pub const MAX_PACKET: usize = 65_502;
/// Deepest nesting that is followed.
const MAX_DEPTH: usize = 64;

fn damaged(detail: impl ToString) -> FileError {
    FileError::damaged("The picture's XMP packet", detail)
}

/// Dublin Core, as XMP uses it.
const DC_NS: &str = "http://purl.org/dc/elements/1.1/";

/// Reads the panorama properties of a packet; one without any gives empty properties.
pub fn read(packet: &str) -> Result<PanoProperties> {
    let mut found = PanoProperties::default();
    let mut reader = NsReader::from_str(packet);
    let mut depth = 0;
    let mut inside: Option<(String, String)> = None;
    let mut words: Option<String> = None;
    loop {
        let (namespace, event) = reader.read_resolved_event().map_err(damaged)?;
        let ours = is_namespace(&namespace, PANO_NS);
        let dublin = is_namespace(&namespace, DC_NS);
        match event {
            Event::DocType(_) => return Err(no_doctype()),
            Event::Start(ref e) | Event::Empty(ref e) => {
                let empty = matches!(event, Event::Empty(_));
                if dublin && !empty && e.local_name().as_ref() == "description" {
                    words = Some(String::new());
                }
                if ours && !empty {
                    inside = Some((e.local_name().as_ref().to_owned(), String::new()));
                }
                for attribute in e.attributes() {
                    let attribute = attribute.map_err(damaged)?;
                    let (ns, local) = reader.resolver().resolve_attribute(attribute.key);
                    if is_namespace(&ns, PANO_NS) {
                        let value = attribute
                            .normalized_value(XmlVersion::Implicit1_0)
                            .map_err(damaged)?;
                        set(&mut found, local.as_ref(), &value);
                    }
                    if is_namespace(&ns, DC_NS) && local.as_ref() == "identifier" {
                        let value = attribute
                            .normalized_value(XmlVersion::Implicit1_0)
                            .map_err(damaged)?;
                        let digits = value.strip_prefix(PICTURE_URN);
                        found.picture = digits.and_then(|d| d.parse().ok()).or(found.picture);
                    }
                }
                if !empty {
                    depth += 1;
                    check_depth(depth)?;
                }
            }
            Event::Text(ref t) => {
                if let Some((_, text)) = &mut inside {
                    text.push_str(&t.xml10_content());
                }
                if let Some(words) = &mut words {
                    words.push_str(&t.xml10_content());
                }
            }
            Event::End(ref e) => {
                depth = depth.saturating_sub(1);
                if dublin && e.local_name().as_ref() == "description" {
                    found.words = words.take().map(|w| w.trim().to_owned());
                }
                if ours && let Some((name, text)) = inside.take() {
                    set(&mut found, &name, text.trim());
                }
            }
            Event::Eof if depth > 0 => return Err(damaged("it ends inside an element")),
            Event::Eof => return Ok(found),
            _ => {}
        }
    }
}

fn is_namespace(found: &ResolveResult, wanted: &str) -> bool {
    matches!(found, ResolveResult::Bound(Namespace(ns)) if *ns == wanted)
}

fn no_doctype() -> FileError {
    FileError::unsupported(
        "A document type in the picture's XMP packet",
        "packets must not define entities; drop the packet with --clear",
    )
}

fn check_depth(depth: usize) -> Result<()> {
    if depth > MAX_DEPTH {
        return Err(damaged(format!(
            "it is nested deeper than {MAX_DEPTH} levels"
        )));
    }
    Ok(())
}

fn set(p: &mut PanoProperties, name: &str, value: &str) {
    let mut problems = Vec::new();
    let mut pixels = || match value.parse::<f64>() {
        Ok(v) if v.is_finite() && (0.0..=4_294_967_295.0).contains(&v) => Some(v as u32),
        _ => {
            problems.push(format!(
                "{name} is \"{value}\", not a number of pixels; tag the picture again."
            ));
            None
        }
    };
    match name {
        "ProjectionType" => p.projection = Some(value.to_owned()),
        "UsePanoramaViewer" => p.use_viewer = Some(!value.eq_ignore_ascii_case("false")),
        "FullPanoWidthPixels" => p.full_width = pixels(),
        "FullPanoHeightPixels" => p.full_height = pixels(),
        "CroppedAreaImageWidthPixels" => p.cropped_width = pixels(),
        "CroppedAreaImageHeightPixels" => p.cropped_height = pixels(),
        "CroppedAreaLeftPixels" => p.cropped_left = pixels(),
        "CroppedAreaTopPixels" => p.cropped_top = pixels(),
        "PoseHeadingDegrees"
        | "PosePitchDegrees"
        | "PoseRollDegrees"
        | "InitialViewHeadingDegrees"
        | "InitialViewPitchDegrees"
        | "InitialHorizontalFOVDegrees" => match value.parse::<f64>() {
            Ok(v) if v.is_finite() => {
                let slot = match name {
                    "PoseHeadingDegrees" => &mut p.pose_heading_deg,
                    "PosePitchDegrees" => &mut p.pose_pitch_deg,
                    "PoseRollDegrees" => &mut p.pose_roll_deg,
                    "InitialViewHeadingDegrees" => &mut p.opening_heading_deg,
                    "InitialViewPitchDegrees" => &mut p.opening_pitch_deg,
                    _ => &mut p.opening_hfov_deg,
                };
                *slot = Some(v);
            }
            _ => problems.push(format!(
                "{name} is \"{value}\", not an angle in degrees; tag the picture again."
            )),
        },
        _ => {}
    }
    p.problems.append(&mut problems);
}

/// The properties as (name, value) pairs, in the order they are written.
fn pairs(p: &PanoProperties) -> Vec<(&'static str, String)> {
    let degrees = |v: f64| {
        let text = format!("{v:.3}");
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    let mut out = Vec::new();
    let mut put = |name, value: Option<String>| out.extend(value.map(|v| (name, v)));
    put("ProjectionType", p.projection.clone());
    put(
        "UsePanoramaViewer",
        p.use_viewer
            .map(|v| if v { "True" } else { "False" }.to_owned()),
    );
    put("FullPanoWidthPixels", p.full_width.map(|v| v.to_string()));
    put("FullPanoHeightPixels", p.full_height.map(|v| v.to_string()));
    put(
        "CroppedAreaImageWidthPixels",
        p.cropped_width.map(|v| v.to_string()),
    );
    put(
        "CroppedAreaImageHeightPixels",
        p.cropped_height.map(|v| v.to_string()),
    );
    put(
        "CroppedAreaLeftPixels",
        p.cropped_left.map(|v| v.to_string()),
    );
    put("CroppedAreaTopPixels", p.cropped_top.map(|v| v.to_string()));
    put("PoseHeadingDegrees", p.pose_heading_deg.map(degrees));
    put("PosePitchDegrees", p.pose_pitch_deg.map(degrees));
    put("PoseRollDegrees", p.pose_roll_deg.map(degrees));
    put(
        "InitialViewHeadingDegrees",
        p.opening_heading_deg.map(degrees),
    );
    put("InitialViewPitchDegrees", p.opening_pitch_deg.map(degrees));
    put(
        "InitialHorizontalFOVDegrees",
        p.opening_hfov_deg.map(degrees),
    );
    put("StitchingSoftware", Some(crate::SOFTWARE.to_owned()));
    out
}

fn description(p: &PanoProperties) -> BytesStart<'static> {
    let mut element = BytesStart::new("rdf:Description");
    element.push_attribute(("xmlns:rdf", RDF_NS));
    element.push_attribute(("rdf:about", ""));
    element.push_attribute(("xmlns:GPano", PANO_NS));
    for (name, value) in pairs(p) {
        element.push_attribute((format!("GPano:{name}").as_str(), value.as_str()));
    }
    element.into_owned()
}

/// A new packet that holds these properties alone.
pub fn make(p: &PanoProperties) -> Result<String> {
    merge(&packet_of(""), p)
}

/// A packet around some descriptions.
fn packet_of(descriptions: &str) -> String {
    format!(
        "<?xpacket begin=\"\u{feff}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n\
         <x:xmpmeta xmlns:x=\"adobe:ns:meta/\">\n <rdf:RDF xmlns:rdf=\"{RDF_NS}\">\n{descriptions} {RDF_END}\n</x:xmpmeta>\n\
         <?xpacket end=\"w\"?>"
    )
}

/// What begins the identifier of a picture whose recipe is known.
const PICTURE_URN: &str = "urn:sha256:";
const RDF_END: &str = "</rdf:RDF>";

/// One of our own packets, or a new one, that also says by `dc:identifier` (XMP specification part 1, 8.3, Dublin Core) which picture
/// it is: the fingerprint of what determined it.
pub fn identified(packet: Option<String>, picture: Fingerprint) -> Result<String> {
    let packet = packet.unwrap_or_else(|| packet_of(""));
    let (before, after) = packet
        .split_once(RDF_END)
        .ok_or_else(|| damaged("it has no end of its descriptions"))?;
    Ok(format!(
        "{before}<rdf:Description rdf:about=\"\" xmlns:dc=\"{DC_NS}\" dc:identifier=\"{PICTURE_URN}{picture}\"/>\n {RDF_END}{after}"
    ))
}

/// A packet that says in words what a picture is, as `dc:description` (XMP specification part 1, 8.3, Dublin Core).
pub fn described(words: &str) -> String {
    let clean = quick_xml::escape::escape(words);
    packet_of(&format!(
        "<rdf:Description rdf:about=\"\" xmlns:dc=\"{DC_NS}\">\n\
         <dc:description><rdf:Alt><rdf:li xml:lang=\"x-default\">{clean}</rdf:li></rdf:Alt></dc:description>\n\
         </rdf:Description>\n"
    ))
}

/// `packet` with its panorama properties replaced by `p` and everything else as it was.
pub fn merge(packet: &str, p: &PanoProperties) -> Result<String> {
    let mut reader = NsReader::from_str(packet);
    let mut writer = Writer::new(Vec::new());
    let mut depth = 0;
    // Depth at which a panorama property given as an element started: skipped to its end.
    let mut skipping: Option<usize> = None;
    let mut placed = false;
    loop {
        let (namespace, event) = reader.read_resolved_event().map_err(damaged)?;
        let ours = is_namespace(&namespace, PANO_NS);
        let rdf = is_namespace(&namespace, RDF_NS);
        let out = match event {
            Event::DocType(_) => return Err(no_doctype()),
            Event::Eof => break,
            Event::Start(e) => {
                depth += 1;
                check_depth(depth)?;
                if ours && skipping.is_none() {
                    skipping = Some(depth);
                }
                Event::Start(without_properties(&reader, e)?)
            }
            Event::Empty(e) => {
                if ours {
                    continue;
                }
                let is_rdf_root = rdf && e.local_name().as_ref() == "RDF";
                let before = e.attributes().count();
                let e = without_properties(&reader, e)?;
                // What held nothing but our properties holds nothing: the new ones take its place.
                let left = e.attributes().flatten();
                let named = |a: &Attribute| {
                    let key = a.key.as_ref();
                    key.starts_with("xmlns") || key.ends_with(":about") || key == "about"
                };
                if !is_rdf_root
                    && e.attributes().count() < before
                    && left.into_iter().all(|a| named(&a))
                {
                    continue;
                }
                if is_rdf_root && skipping.is_none() {
                    let end = e.to_end().into_owned();
                    for event in [
                        Event::Start(e),
                        Event::Empty(description(p)),
                        Event::End(end),
                    ] {
                        writer.write_event(event).map_err(damaged)?;
                    }
                    placed = true;
                    continue;
                }
                Event::Empty(e)
            }
            Event::End(e) => {
                let ends_skip = skipping == Some(depth);
                depth = depth.saturating_sub(1);
                if ends_skip {
                    skipping = None;
                    continue;
                }
                if skipping.is_none() && rdf && e.local_name().as_ref() == "RDF" {
                    writer
                        .write_event(Event::Empty(description(p)))
                        .map_err(damaged)?;
                    placed = true;
                }
                Event::End(e)
            }
            other => other,
        };
        if skipping.is_none() {
            writer.write_event(out).map_err(damaged)?;
        }
    }
    if depth > 0 {
        return Err(damaged("it ends inside an element"));
    }
    if !placed {
        return Err(damaged("it has no rdf:RDF element"));
    }
    let merged = String::from_utf8(writer.into_inner()).map_err(damaged)?;
    shorten(merged)
}

/// The element without its panorama attributes.
fn without_properties(reader: &NsReader<&[u8]>, e: BytesStart<'_>) -> Result<BytesStart<'static>> {
    let mut drop = false;
    let mut kept = BytesStart::new(e.name().as_ref().to_owned());
    for attribute in e.attributes() {
        let attribute = attribute.map_err(damaged)?;
        let (ns, _) = reader.resolver().resolve_attribute(attribute.key);
        if is_namespace(&ns, PANO_NS) {
            drop = true;
        } else {
            kept.push_attribute(attribute);
        }
    }
    Ok(if drop { kept } else { e.into_owned() })
}

/// Takes white padding from before the packet's end where the packet would not fit its segment.
fn shorten(packet: String) -> Result<String> {
    if packet.len() <= MAX_PACKET {
        return Ok(packet);
    }
    if let Some(end) = packet.rfind("<?xpacket end") {
        let slim = format!("{}\n{}", packet[..end].trim_end(), &packet[end..]);
        if slim.len() <= MAX_PACKET {
            return Ok(slim);
        }
    }
    Err(FileError::TooLarge {
        what: "The picture's XMP packet".into(),
        detail: format!(
            "with the panorama properties it has {} bytes and {MAX_PACKET} fit; drop what was there with --clear",
            packet.len()
        ),
    })
}
