// Which frames of a plan's time a window writes: the one that is shown, or a range of them, each to a file of its own
// or all to one.
#pragma once

#include "core/plan/document.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QSpinBox;

namespace arvesk {

class FrameChoice : public QWidget {
  Q_OBJECT

 public:
  enum class Way { This, Each, InOne };

  /// `each` says what becomes of each frame. `names` begins the names of its fields.
  FrameChoice(const PlanTime& time, const QString& each, const QString& names, QWidget* parent = nullptr);
  /// May all go to one file? What cannot be chosen any more falls back to this frame.
  void allowOne(bool isAllowed);
  Way way() const;
  /// First to last; none unless several are wanted.
  std::vector<int> frames() const;
  /// Frames whose file is there already are not made again.
  bool isGoingOn() const;

  /// The file of one frame: its number stands before the ending.
  static QString fileOf(const QString& path, int frame);

 Q_SIGNALS:
  void changed();

 private:
  void showRange();

  QComboBox* m_when;
  QSpinBox* m_first;
  QSpinBox* m_last;
  QCheckBox* m_goOn;
};

}  // namespace arvesk
