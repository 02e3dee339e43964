// What the Bench shows inside of a sub-plan while no node is selected: what it says of itself, and its front controls.
#pragma once

#include <functional>

namespace arvesk {

class Form;
class PlanModel;

/// Adds the rows to the form; the result brings them up to date with the model.
std::function<void()> addSubPlanControls(PlanModel& model, Form& form);

}  // namespace arvesk
