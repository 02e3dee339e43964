// Makes the control of a parameter from its declaration. One editor per type; special ones are chosen here, never in
// the core.
#pragma once

#include "core/plan/document.h"

#include <QPixmap>
#include <QWidget>

#include <functional>

namespace arvesk {

/// A control that shows one value and says when the user changed it.
class ParamEditor : public QWidget {
  Q_OBJECT

 public:
  using QWidget::QWidget;
  virtual void show(const ParamValue& value) = 0;
  /// Shows what one of several numbers follows; empty when it follows nothing.
  virtual void showPartFormula(std::size_t, const QString&) {}
  /// Shows what the value follows; empty when it follows nothing.
  virtual void showFormula(const QString& formula) { Q_UNUSED(formula) }
  /// Can it show that it follows something?
  virtual bool showsFormula() const { return false; }
  /// What the text may name; see NodeKind::names.
  virtual void offer(const std::vector<NameCount>& names) { Q_UNUSED(names) }
  /// Wide controls take a whole row of the Bench.
  virtual bool isWide() const { return false; }

 Q_SIGNALS:
  void edited(const ParamValue& value, int gesture);
  void followed(const QString& formula);
  /// One of the numbers of a range, band or vector.
  void partFollowed(int part, const QString& formula);
};

/// The picture of a prop by its uid; null while there is none.
using PropPictures = std::function<QPixmap(const std::string& uid)>;

/// `plan` gives the kit for lists of props; `folder` is where relative file names start.
ParamEditor* makeEditor(const ParamSpec& spec, const Plan& plan, const PropPictures& pictures, const QString& folder,
                        QWidget* parent);

}  // namespace arvesk
