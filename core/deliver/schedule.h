// Schedule: per output and prop how many, how large, how many triangles and how much memory, against budgets.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

struct ScheduleRow {
  std::string output;  // uid of the Output node
  std::string title;   // its title
  PropPtr prop;
  std::size_t count = 0;
  double share = 0;             // of all placements, 0 to 1
  std::uint64_t triangles = 0;  // count × the prop's
  std::size_t bytes = 0;        // of the prop's geometry, once, and of its placements (position, turn, size, id)
  double meanSize = 1;          // mean of the three factors, over the placements
  float smallest = 0;           // the same, least and most
  float largest = 0;
  std::string budgetKey() const { return output + "/" + (prop ? prop->uid : std::string()); }
};

struct Schedule {
  std::vector<ScheduleRow> rows;  // by output in the plan's order, then by count, most first
  std::size_t count = 0;
  std::uint64_t triangles = 0;
  std::size_t bytes = 0;  // geometry of each prop counted once
};

/// Over the visible outputs; with `inSite` (a uid) over what that node gives.
Schedule scheduleOf(const Plan& plan, const Evaluation& evaluation, const std::string& inSite);

/// How a count stands to a budget: the larger of the two shares, placements and triangles; 0 when there is no budget.
double budgetShare(const Budget& budget, double count, double triangles);

}  // namespace arvesk
