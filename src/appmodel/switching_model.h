#pragma once
// Switch: rules, switches set by hand, and what moves the switches of a whole scene.

#include "appmodel/session.h"
#include "appmodel/stage.h"

namespace thicket::app {

class SwitchingModel : public QObject {
    Q_OBJECT
public:
    explicit SwitchingModel(Session& session) : m_session(session) {}

    /// How many switches are off by more than is allowed, as stated.
    [[nodiscard]] int overAllowance() const;

    void setRule(std::uint32_t id, const SwitchRule& rule, const QString& label, const QString& mergeKey = {});
    void setSwitchDistance(std::uint32_t id, int level, double metres, const QString& mergeKey = {});
    void clearSwitch(std::uint32_t id, int level);
    /// Decides by another unit: switches set by hand are written in it, at the same distances.
    void setDecideBy(std::uint32_t id, DecideBy unit);
    void setStatedView(double fovDegrees, int lines);
    /// How many pixels a degree of sight has as switches are judged; 0: each pixel is told apart.
    void setPixelsADegree(double pixels);
    /// Metres; the far plane is kept behind the near one.
    void setPlanes(double nearest, double farthest);
    /// Adds the stated view to the list under a name, or takes one of those out again.
    void keepStatedView(const QString& name);
    void dropStatedView(const QString& name);
    // Context: factors on how far switches come in
    void setDetail(double factor);
    void setDeviceDetail(double factor); ///< of the chosen device
    void setCopyImportance(std::uint32_t placement, double factor);
    void setHalfSpeed(double metresPerSecond); ///< 0: speed does nothing
    void setCullHidden(bool on);

private:
    [[nodiscard]] const Scene& scene() const { return m_session.scene(); }
    [[nodiscard]] const Subject* withSwitch(std::uint32_t id, int level) const;
    void edit(const Subject& after, const std::string& label, const QString& mergeKey = {});
    void edit(const Settings& after, const std::string& label, const std::string& mergeKey = {});

    Session& m_session;
};

} // namespace thicket::app
