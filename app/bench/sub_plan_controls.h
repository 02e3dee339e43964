// What the Bench shows inside of a sub-plan while no node is selected: what it says of itself, its front
// controls, and its checks.
#pragma once

#include <QString>

#include <functional>

namespace arvesk {

class Form;
class PlanModel;

/// Adds the rows to the form; the result brings them up to date with the model. Files of the plan start at `folder`.
std::function<void()> addSubPlanControls(PlanModel& model, Form& form, const QString& folder);

}  // namespace arvesk
