#pragma once
// Budget: the device, the route, the audit.

#include "appmodel/session.h"
#include "appmodel/stage.h"
#include "budget/audit.h"

namespace thicket::app {

class BudgetModel : public QObject {
    Q_OBJECT
public:
    explicit BudgetModel(Session& session);

    [[nodiscard]] StageState state() const;
    void setDevice(std::size_t index);
    /// Adds a key to the first route (made when there is none), four seconds after the last.
    void addRouteKey(const View& view);
    void clearRoute();
    /// The route that is flown; null when there is none.
    [[nodiscard]] const Route* route() const;
    [[nodiscard]] bool hasRoute() const { return route() != nullptr && route()->length() > 0; }
    void runAudit();
    [[nodiscard]] const Audit* audit() const { return m_audit ? &*m_audit : nullptr; }
    [[nodiscard]] bool auditStale() const { return m_stale; }

signals:
    void auditChanged();

private:
    Session& m_session;
    std::optional<Audit> m_audit;
    bool m_stale = false;
};

} // namespace thicket::app
