#pragma once
// The shot camera's view and the overview, beside each other or one in a corner of the other.

#include "app/viewport/overview.h"

#include <QPushButton>

namespace thicket::app {

class Segmented;

enum class OverviewMode { Off, Inset, Split };

class ViewStack : public QWidget {
    Q_OBJECT
public:
    explicit ViewStack(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] Viewport& viewport() { return *m_viewport; }
    [[nodiscard]] Overview& overview() { return *m_overview; }
    /// The controls; shown where a scene is looked at.
    [[nodiscard]] QWidget& bar() { return *m_bar; }
    void setMode(OverviewMode mode);
    [[nodiscard]] OverviewMode mode() const { return m_mode; }
    /// Which of the two is the large one, or the left one.
    void swap();
    [[nodiscard]] bool swapped() const { return m_swapped; }
    void toggleFreeze();
    /// Only stages that look at a scene have an overview; in others the view is alone.
    void setOffered(bool offered);

signals:
    /// The places of the two changed.
    void arranged();

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void arrange();
    Viewport* m_viewport;
    Overview* m_overview;
    QWidget* m_bar;
    Segmented* m_choice;
    QPushButton* m_swap;
    QPushButton* m_freeze;
    OverviewMode m_mode = OverviewMode::Off;
    bool m_swapped = false;
    bool m_offered = false;
};

} // namespace thicket::app
