// A prop at large: its picture to turn about, its massing, its vertex values and colors, its mount points to set by
// hand and the values that are made for its vertices.
#pragma once

#include "app/kit/mount_handles.h"
#include "app/model/evaluation_service.h"
#include "app/model/plan_model.h"
#include "app/model/render_service.h"
#include "app/model/worker.h"
#include "core/plan/prop_values.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QTableWidget;

namespace arvesk {

class ValueTable;

class PropPicture : public QWidget {
  Q_OBJECT

 public:
  explicit PropPicture(QWidget* parent = nullptr);
  /// What the colors say: a vertex value from its least to its greatest.
  struct Legend {
    std::string name;
    ValueSpan span;
  };
  struct Look {
    SurfacePtr surface;
    std::optional<Legend> legend{};
    bool isPlain = false;  // without light and shade
  };
  /// Shows the prop with what `lookOf` makes of it, on a thread of its own.
  void show(const PropPtr& prop, std::function<Look()> lookOf);
  const std::optional<Legend>& legend() const { return m_legend; }
  bool isReady() const { return m_view != nullptr; }
  void setCurrent(int mount) {
    m_current = mount;
    update();
  }
  /// Handles on this one, which was set by hand; none without.
  void handle(const std::optional<MountEntry>& mount);
  /// Whether mount points are drawn, and set by clicks.
  void showMounts(bool on) {
    m_hasMounts = on;
    setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
    update();
  }
  const MountHandles& handles() const { return m_handles; }
  /// Where a place of the prop is in the picture.
  QPointF project(const Vec3& place) const;

 Q_SIGNALS:
  /// A place on the mesh was clicked.
  void clicked(const Vec3& place, const Vec3& normal);
  /// The mount point with the handles was moved, turned or sized by them.
  void mountEdited(const MountEntry& mount);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;

 private:
  void request();
  Vec3 rayThrough(const QPointF& at) const;
  std::optional<std::pair<Vec3, Vec3>> onMesh(const QPointF& at) const;
  MountHandles::Pointer pointerAt(const QPointF& at) const;

  void paintLegend(QPainter& p) const;

  PropPtr m_prop;
  std::optional<Legend> m_legend;
  EvalViewPtr m_view;
  Camera m_camera;
  RenderService m_renderer;
  Worker m_building;
  QPointF m_last;
  QPointF m_pressed;
  MountHandles m_handles;
  int m_current = -1;
  bool m_hasMounts = true;
};

class PropWindow : public QWidget {
  Q_OBJECT

 public:
  /// `folder` is the plan's, which files are named from; empty for a plan that was never saved.
  PropWindow(PlanModel* model, EvaluationService* service, const std::string& uid, QString folder, QWidget* parent);
  PropPicture& picture() { return *m_picture; }

 private:
  void refresh();
  void fillTable();
  void edit(const QString& words, const std::function<void(PropEntry&)>& change);
  void handleCurrent();
  /// How many mounts come from the file, before those set by hand.
  int fromFile() const;
  QWidget* mountsTab();
  QWidget* valuesTab();
  void keepAsFile();
  void keepWhenMade();
  void makeFrom(const QString& path, const PropEntry& was);

  PlanModel* m_model;
  EvaluationService* m_service;
  std::string m_uid;
  PropPtr m_prop;
  PropPicture* m_picture;
  QComboBox* m_shows;
  QTableWidget* m_table;
  ValueTable* m_values;
  QLabel* m_hint;
  QString m_folder;
  std::string m_wanted;  // the value to be shown once it is there
  QString m_keptAs;      // the file that it is to be written to
  Worker m_keeping;
  bool m_isFilling = false;
  bool m_isNewWanted = false;  // a mount point was set and is not in the table yet
};

}  // namespace arvesk
