// What a front control of a sub-plan says of itself: its author's words, unit, range and usual value.
#pragma once

#include "core/plan/document.h"

#include <QDialog>

#include <functional>

class QFormLayout;
class QLabel;
class QPushButton;

namespace arvesk {

class PlanModel;

class FrontWindow : public QDialog {
  Q_OBJECT

 public:
  FrontWindow(PlanModel* model, const std::string& id, const QString& folder, QWidget* parent);

 private:
  void addTexts(QFormLayout& form);
  void addChoices(QFormLayout& form);
  void addNumbers(QFormLayout& form);
  void showUsual();
  void check();
  void keep();
  /// May its value be a number, or several?
  bool isNumeric() const;

  PlanModel* m_model;
  QString m_folder;
  FrontControl m_before;
  FrontControl m_control;  // as it is here
  QFormLayout* m_form;
  QWidget* m_usual = nullptr;
  QLabel* m_fault;
  QPushButton* m_keep;
};

}  // namespace arvesk
