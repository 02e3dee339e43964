// Why here: the list of what was near a spot, or of what every node did to one placement. A line leads to its node.
#pragma once

#include "core/deliver/why_here.h"

#include <QFrame>

class QLabel;
class QListWidget;
class QToolButton;

namespace arvesk {

class WhyPanel : public QFrame {
  Q_OBJECT

 public:
  explicit WhyPanel(QWidget* parent = nullptr);
  void showBusy();
  /// `story` is that of the placement at the spot, or empty when the ground was asked.
  void showAnswer(const Plan& plan, const WhyHere& here, const std::vector<WhyStep>& story, float radius);
  const WhyHere& answer() const { return m_here; }
  float radius() const { return m_radius; }
  /// The place of the line under the cursor or keys, to be marked in Site.
  std::optional<Vec3> markedPlace() const;

 Q_SIGNALS:
  void nodeWanted(const QString& uid);
  void radiusWanted(float radius);
  void markChanged();
  void closed();

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  QLabel* m_title;
  QListWidget* m_list;
  QToolButton* m_nearer;
  QToolButton* m_farther;
  WhyHere m_here;
  float m_radius = 1;
};

}  // namespace arvesk
