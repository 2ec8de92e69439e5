#pragma once
// Gather, for a terrain: where its heights come from, the brush, and meshes made of it.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QCheckBox>

namespace thicket::app {

/// What the brush on the ground does.
struct GroundBrush {
    BrushKind kind = BrushKind::Raise;
    double radius = 16;
    double strength = 1;
};

class GroundPanel : public Panel {
    Q_OBJECT
public:
    explicit GroundPanel(Workbench& bench, QWidget* parent = nullptr);
    /// Where the camera of the viewport stands.
    std::function<Vec3d()> eye;
    /// Empty while the brush is put away.
    [[nodiscard]] std::optional<GroundBrush> brush() const;

signals:
    void brushChanged();

protected:
    void showEvent(QShowEvent* event) override;

private:
    void refresh();
    void refreshForecast();
    void askForecast();
    [[nodiscard]] GroundMeshAsk ask() const;
    [[nodiscard]] const Subject* terrain() const;

    Workbench& m_bench;
    QLabel* m_facts;
    QPushButton* m_relink;
    Segmented* m_kind;
    NumberBox* m_radius;
    NumberBox* m_strength;
    QLabel* m_cost;
    NumberBox* m_error;
    NumberBox* m_levels;
    QCheckBox* m_border;
    QCheckBox* m_fewest;
    QCheckBox* m_fallsOff;
    QWidget* m_falloffRows;
    NumberBox* m_farError;
    NumberBox* m_farRange;
    NumberBox* m_farPower;
    Vec3d m_fallsFrom{0, 0, 0};
    QLabel* m_forecast;
    QPushButton* m_make;
    std::weak_ptr<const Heights> m_reckoned; ///< the ground that the forecast is of, or will be
};

/// Thin, for a terrain: its levels, which are those of its tiles.
class GroundLevels : public Panel {
    Q_OBJECT
public:
    explicit GroundLevels(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    Workbench& m_bench;
    QLabel* m_table;
};

} // namespace thicket::app
