// The Plan as screen readers find it: cards in their places, with their tags, slots and ribbons.
#pragma once

class QWidget;

namespace arvesk {

class PlanView;

/// Says how a PlanView is asked, before anyone can ask the first one; gives back what it was given.
QWidget* withPlanAccess(QWidget* parent);

/// Tells a screen reader, if there is one, where the Plan's keys are now.
void tellFocus(PlanView& view);

}  // namespace arvesk
