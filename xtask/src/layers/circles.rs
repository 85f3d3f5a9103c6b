//! Circles in a graph of imports.

use std::collections::BTreeSet;

/// Groups of nodes that reach each other, of two nodes or more, largest first.
///
/// `arrows[i]` holds the nodes that node `i` points to. Strongly connected components (Tarjan 1972).
pub fn circles(arrows: &[BTreeSet<usize>]) -> Vec<Vec<usize>> {
    let mut search = Search {
        arrows,
        number: vec![None; arrows.len()],
        lowest: vec![0; arrows.len()],
        open: vec![],
        is_open: vec![false; arrows.len()],
        next: 0,
        found: vec![],
    };
    for node in 0..arrows.len() {
        if search.number[node].is_none() {
            search.visit(node);
        }
    }
    let mut found = search.found;
    found.sort_by_key(|circle| std::cmp::Reverse(circle.len()));
    found
}

struct Search<'a> {
    arrows: &'a [BTreeSet<usize>],
    number: Vec<Option<usize>>,
    lowest: Vec<usize>,
    open: Vec<usize>,
    is_open: Vec<bool>,
    next: usize,
    found: Vec<Vec<usize>>,
}

impl Search<'_> {
    fn visit(&mut self, node: usize) {
        let number = self.next;
        self.next += 1;
        self.number[node] = Some(number);
        self.lowest[node] = number;
        self.open.push(node);
        self.is_open[node] = true;
        for &to in &self.arrows[node] {
            match self.number[to] {
                None => {
                    self.visit(to);
                    self.lowest[node] = self.lowest[node].min(self.lowest[to]);
                }
                Some(other) if self.is_open[to] => {
                    self.lowest[node] = self.lowest[node].min(other);
                }
                Some(_) => {}
            }
        }
        if self.lowest[node] == number {
            let start = self.open.iter().rposition(|&open| open == node).expect("still open");
            let circle = self.open.split_off(start);
            circle.iter().for_each(|&node| self.is_open[node] = false);
            if circle.len() > 1 {
                self.found.push(circle);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn arrows(pairs: &[(usize, usize)], nodes: usize) -> Vec<BTreeSet<usize>> {
        let mut arrows = vec![BTreeSet::new(); nodes];
        pairs.iter().for_each(|&(from, to)| {
            arrows[from].insert(to);
        });
        arrows
    }

    #[test]
    fn a_tree_has_no_circle() {
        assert!(circles(&arrows(&[(0, 1), (0, 2), (1, 3), (2, 3)], 4)).is_empty());
    }

    #[test]
    fn circles_that_share_a_node_are_one() {
        let mut found =
            circles(&arrows(&[(0, 1), (1, 0), (1, 2), (2, 1), (2, 3), (4, 5), (5, 4)], 6));
        found.iter_mut().for_each(|circle| circle.sort_unstable());
        assert_eq!(found, [vec![0, 1, 2], vec![4, 5]]);
    }
}
