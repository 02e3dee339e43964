// The strip in Site for what is selected: numbers to type, and what can be done to it with one click.
#pragma once

#include "app/site/touch_handles.h"

#include <QFrame>
#include <QTimer>

class QBoxLayout;
class QLabel;
class QMenu;
class QToolButton;

namespace arvesk {

class NumberField;

class TouchPanel : public QFrame {
  Q_OBJECT

 public:
  TouchPanel(TouchSession* session, TouchHandles* handles, PlanModel* model, QWidget* parent = nullptr);
  /// What is selected and what was done to it, as the session has it now.
  void refresh();
  /// What can be done, for the menu of Site too.
  void fillMenu(QMenu* menu);
  bool hasColors() const;
  void hideColors();

 Q_SIGNALS:
  void sizeChanged();

 private:
  /// `does` is given by how much the number changed, or by what factor where that is how it counts; `of` reads it.
  void addField(QBoxLayout* row, const QString& words, const char* name, const ParamSpec& spec,
                const std::function<void(TouchDelta&, double by)>& does,
                const std::function<double(const TouchUp&)>& of);
  void fillProps(QMenu* menu);
  void finish();

  TouchSession* m_session;
  TouchHandles* m_handles;
  PlanModel* m_model;
  QLabel* m_title;
  QToolButton* m_each;
  QToolButton* m_free;
  QToolButton* m_keep;
  QWidget* m_colors;  // numbers that few need
  QToolButton* m_color;
  QToolButton* m_takeBack;
  QTimer m_quiet;     // runs while a number is changed
  int m_gesture = 0;  // of the field that changes it
  double m_was = 0;   // when that began
  std::vector<std::pair<NumberField*, std::function<double(const TouchUp&)>>> m_fields;
};

}  // namespace arvesk
