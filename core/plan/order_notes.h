// What is odd about the order of a plan's nodes, though each of them does its work: told as warnings beside the
// results.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

/// Warnings by uid of the node. A node that judges by footprints before props are chosen judges by what its points were
/// sown with; while that is only the value a Sow begins with, nobody meant it.
std::map<std::string, Problem> orderNotes(const Plan& plan, const Evaluation& evaluation);

/// The first node below that gives the points of `uid` their props; empty when there is none.
std::string dressedBy(const Plan& plan, const Evaluation& evaluation, const std::string& uid);

}  // namespace arvesk
