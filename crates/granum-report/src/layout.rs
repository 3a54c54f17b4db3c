//! Where the boxes of a picture stand: in layers from left to right, so that links lead to the
//! right, and in an order in which few of them cross.
//!
//! The way of Sugiyama and others (1981): a layer for each box, helpers where a link passes a layer,
//! and the order of each layer by the mean place of what its boxes are linked with.

/// A box to be placed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Size {
    pub width: f64,
    pub height: f64,
}

/// A box that has its place: its upper left corner.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Placed {
    pub x: f64,
    pub y: f64,
}

/// Where all boxes stand, where links pass between them, and how large it all is.
#[derive(Debug, Default)]
pub(crate) struct Layout {
    pub boxes: Vec<Placed>,
    /// For each link the points that it passes, layer by layer, between its ends.
    pub bends: Vec<Vec<(f64, f64)>>,
    pub width: f64,
    pub height: f64,
}

/// Room between boxes of one layer.
const APART: f64 = 28.0;
/// Room that a link takes where it passes a layer.
const PASSING: f64 = 18.0;
const MARGIN: f64 = 30.0;
/// Boxes without links fill rows at least so wide.
const ROW: f64 = 900.0;
/// The order is bettered so often.
const SWEEPS: usize = 12;

/// One place in a layer: a box, or where a link passes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Node {
    Box(usize),
    Pass { link: usize },
}

/// Places boxes. `links` are pairs of boxes, without circles. Boxes without a link stand in rows
/// below the others. `between` is the room between layers, where links stand and what they are labelled with.
pub(crate) fn place(sizes: &[Size], links: &[(usize, usize)], between: f64) -> Layout {
    let linked = |at: &usize| links.iter().any(|(from, to)| from == at || to == at);
    let (joined, alone): (Vec<usize>, Vec<usize>) = (0..sizes.len()).partition(linked);
    let number = |at: usize| joined.iter().position(|known| *known == at).unwrap_or(0);
    let joined_links: Vec<(usize, usize)> =
        links.iter().map(|(from, to)| (number(*from), number(*to))).collect();
    let joined_sizes: Vec<Size> = joined.iter().map(|at| sizes[*at]).collect();
    let mut layout = place_linked(&joined_sizes, &joined_links, between);
    let mut boxes = vec![Placed { x: 0.0, y: 0.0 }; sizes.len()];
    for (at, placed) in joined.iter().zip(&layout.boxes) {
        boxes[*at] = *placed;
    }
    let room = layout.width.max(ROW);
    let (mut x, mut y, mut below) = (MARGIN, layout.height.max(MARGIN), 0.0_f64);
    for at in alone {
        if x > MARGIN && x + sizes[at].width + MARGIN > room {
            (x, y, below) = (MARGIN, y + below + APART, 0.0);
        }
        boxes[at] = Placed { x, y };
        x += sizes[at].width + APART;
        below = below.max(sizes[at].height);
        layout.width = layout.width.max(x - APART + MARGIN);
        layout.height = layout.height.max(y + below + MARGIN);
    }
    layout.boxes = boxes;
    layout
}

fn place_linked(sizes: &[Size], links: &[(usize, usize)], between: f64) -> Layout {
    let layer_of = layers(sizes.len(), links);
    let count = layer_of.iter().max().map_or(0, |last| last + 1);
    let mut nodes: Vec<Node> = (0..sizes.len()).map(Node::Box).collect();
    let mut layers: Vec<Vec<usize>> = vec![vec![]; count];
    for (at, layer) in layer_of.iter().enumerate() {
        layers[*layer].push(at);
    }
    // Edges between neighbouring layers only.
    let mut edges: Vec<(usize, usize)> = vec![];
    for (link, (from, to)) in links.iter().enumerate() {
        let mut last = *from;
        for layer in &mut layers[layer_of[*from] + 1..layer_of[*to]] {
            nodes.push(Node::Pass { link });
            layer.push(nodes.len() - 1);
            edges.push((last, nodes.len() - 1));
            last = nodes.len() - 1;
        }
        edges.push((last, *to));
    }
    order(&mut layers, &edges, nodes.len());
    let height_of = |node: usize| match nodes[node] {
        Node::Box(at) => sizes[at].height,
        Node::Pass { .. } => PASSING,
    };
    let middles = middles(&layers, &edges, nodes.len(), &height_of);
    let mut layout = Layout {
        boxes: vec![Placed { x: 0.0, y: 0.0 }; sizes.len()],
        bends: vec![vec![]; links.len()],
        ..Layout::default()
    };
    let mut x = MARGIN;
    for layer in &layers {
        let widths = layer.iter().filter_map(|node| match nodes[*node] {
            Node::Box(at) => Some(sizes[at].width),
            Node::Pass { .. } => None,
        });
        let width = widths.fold(0.0, f64::max);
        for node in layer {
            let y = middles[*node] - height_of(*node) / 2.0;
            match nodes[*node] {
                Node::Box(at) => layout.boxes[at] = Placed { x, y },
                // A link passes the whole layer at one height.
                Node::Pass { link } => {
                    layout.bends[link].extend([(x, middles[*node]), (x + width, middles[*node])]);
                }
            }
            layout.height = layout.height.max(y + height_of(*node) + MARGIN);
        }
        x += width + between;
    }
    if !layers.is_empty() {
        layout.width = x - between + MARGIN;
    }
    layout
}

/// The layer of each box: one more than that of all that lead to it. A box that leads further is
/// moved as near to what it leads to as it can.
fn layers(count: usize, links: &[(usize, usize)]) -> Vec<usize> {
    let mut layer = vec![0_usize; count];
    for _ in 0..count {
        for (from, to) in links {
            layer[*to] = layer[*to].max(layer[*from] + 1);
        }
    }
    let last = layer.iter().max().copied().unwrap_or(0);
    for _ in 0..count {
        for at in 0..count {
            let leads = links.iter().filter(|(from, _)| *from == at).map(|(_, to)| layer[*to]);
            // What nothing leads to stands beside what it leads to.
            let led = links.iter().any(|(_, to)| *to == at);
            if let Some(nearest) = leads.min().filter(|_| !led) {
                layer[at] = nearest.saturating_sub(1).min(last);
            }
        }
    }
    layer
}

/// Orders each layer by the mean place of its neighbours, from left to right and back.
fn order(layers: &mut [Vec<usize>], edges: &[(usize, usize)], nodes: usize) {
    let mut place = vec![0.0; nodes];
    let note = |layers: &[Vec<usize>], place: &mut [f64]| {
        for layer in layers {
            for (at, node) in layer.iter().enumerate() {
                place[*node] = at as f64 / layer.len() as f64;
            }
        }
    };
    note(layers, &mut place);
    let mut best = (crossings(layers, edges, nodes), layers.to_vec());
    for sweep in 0..SWEEPS {
        let forward = sweep % 2 == 0;
        for at in 0..layers.len() {
            let at = if forward { at } else { layers.len() - 1 - at };
            let mean = |node: usize| {
                let beside = edges.iter().filter_map(|(from, to)| match forward {
                    true if *to == node => Some(place[*from]),
                    false if *from == node => Some(place[*to]),
                    _ => None,
                });
                let beside: Vec<f64> = beside.collect();
                match beside.len() {
                    0 => place[node],
                    count => beside.iter().sum::<f64>() / count as f64,
                }
            };
            let mut means: Vec<(f64, usize)> =
                layers[at].iter().map(|node| (mean(*node), *node)).collect();
            means.sort_by(|a, b| a.0.total_cmp(&b.0));
            layers[at] = means.into_iter().map(|(_, node)| node).collect();
            note(layers, &mut place);
        }
        let crossed = crossings(layers, edges, nodes);
        if crossed < best.0 {
            best = (crossed, layers.to_vec());
        }
    }
    layers.clone_from_slice(&best.1);
}

/// How many pairs of edges between two layers cross.
fn crossings(layers: &[Vec<usize>], edges: &[(usize, usize)], nodes: usize) -> usize {
    let mut place = vec![(0, 0); nodes];
    for (layer, members) in layers.iter().enumerate() {
        for (at, node) in members.iter().enumerate() {
            place[*node] = (layer, at);
        }
    }
    let crosses = |(a, b): &(usize, usize), (c, d): &(usize, usize)| {
        place[*a].0 == place[*c].0
            && (place[*a].1 < place[*c].1) != (place[*b].1 < place[*d].1)
            && place[*a].1 != place[*c].1
            && place[*b].1 != place[*d].1
    };
    let pairs = edges
        .iter()
        .enumerate()
        .map(|(at, edge)| edges[at + 1..].iter().filter(|other| crosses(edge, other)).count());
    pairs.sum()
}

/// The height of each place's middle: near to what it is linked with, and apart from its
/// neighbours.
fn middles(
    layers: &[Vec<usize>],
    edges: &[(usize, usize)],
    nodes: usize,
    height_of: &dyn Fn(usize) -> f64,
) -> Vec<f64> {
    let mut middle = vec![0.0; nodes];
    for layer in layers {
        let mut y = MARGIN;
        for node in layer {
            middle[*node] = y + height_of(*node) / 2.0;
            y += height_of(*node) + APART;
        }
    }
    for _ in 0..SWEEPS {
        for layer in layers {
            let wish = |node: usize, middle: &[f64]| {
                let beside: Vec<f64> = edges
                    .iter()
                    .filter_map(|(from, to)| match node {
                        node if node == *from => Some(middle[*to]),
                        node if node == *to => Some(middle[*from]),
                        _ => None,
                    })
                    .collect();
                match beside.len() {
                    0 => middle[node],
                    count => beside.iter().sum::<f64>() / count as f64,
                }
            };
            // Down as far as wished and the one above allows, then up as far as the one below needs.
            let mut above = 0.0_f64;
            for node in layer {
                let half = height_of(*node) / 2.0;
                middle[*node] = wish(*node, &middle).max(above + half).max(MARGIN + half);
                above = middle[*node] + half + APART;
            }
        }
    }
    let top = (0..nodes).map(|node| middle[node] - height_of(node) / 2.0).fold(f64::MAX, f64::min);
    if top < f64::MAX {
        middle.iter_mut().for_each(|middle| *middle += MARGIN - top);
    }
    middle
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sizes(count: usize) -> Vec<Size> {
        (0..count).map(|at| Size { width: 100.0, height: 60.0 + at as f64 * 10.0 }).collect()
    }

    #[test]
    fn links_lead_to_the_right_and_no_boxes_overlap() {
        let links = [(0, 1), (1, 2), (0, 2), (3, 2), (4, 0), (4, 2)];
        let sizes = sizes(6);
        let layout = place(&sizes, &links, 170.0);
        for (from, to) in links {
            assert!(layout.boxes[from].x + sizes[from].width < layout.boxes[to].x, "{from} {to}");
        }
        for (a, one) in layout.boxes.iter().enumerate() {
            for (b, other) in layout.boxes.iter().enumerate().skip(a + 1) {
                let beside = one.x + sizes[a].width <= other.x || other.x + sizes[b].width <= one.x;
                let below =
                    one.y + sizes[a].height <= other.y || other.y + sizes[b].height <= one.y;
                assert!(beside || below, "{a} and {b} overlap");
            }
            assert!(one.x >= 0.0 && one.y >= 0.0);
            assert!(one.x + sizes[a].width <= layout.width);
            assert!(one.y + sizes[a].height <= layout.height);
        }
        // A link that passes layers has a way between the boxes there.
        assert!(!layout.bends[5].is_empty());
    }

    #[test]
    fn crossings_are_undone() {
        let layout = place(&sizes(4), &[(0, 3), (1, 2)], 170.0);
        let crossed =
            (layout.boxes[0].y < layout.boxes[1].y) != (layout.boxes[3].y < layout.boxes[2].y);
        assert!(!crossed);
    }
}
