#include "appmodel/route_model.h"

#include "appmodel/text.h"
#include "io/import/read_cameras.h"
#include "io/ship/write_camera.h"

#include <algorithm>

namespace thicket::app {
namespace {

constexpr double kSecondsApart = 4;    // of keys that are added one after the other
constexpr double kLeastApart = 0.05;   // of keys in time
constexpr double kRecordEvery = 0.1;   // seconds
constexpr double kRecordWithin = 0.05; // metres that keys of a recording may leave out
constexpr double kLookAhead = 10;      // metres to what a key looks at

RouteKey keyOf(double seconds, const View& view) {
    return {seconds, view.eye, view.eye + view.forward * kLookAhead};
}

} // namespace

RouteModel::RouteModel(Session& session) : m_session(session) {
    connect(&session.document, &Document::sceneChanged, this, [this](const Touched& touched) {
        if (touched.everything && m_recording) { // of another project there is nothing to record
            m_recording = false;
            m_kept.clear();
            emit recordingChanged();
        }
    });
}

void RouteModel::push(Settings settings, const QString& label, const QString& mergeKey) {
    m_session.document.push(
        changeSettings(m_session.scene(), std::move(settings), label.toStdString(), mergeKey.toStdString()));
}

void RouteModel::change(const QString& label, const std::function<void(Route&)>& how, const QString& mergeKey) {
    Settings settings = m_session.scene().settings;
    if (settings.route >= settings.routes.size())
        return;
    how(settings.routes[settings.route]);
    push(std::move(settings), label, mergeKey);
}

std::string RouteModel::freeName(const std::string& wanted) const {
    const auto& routes = m_session.scene().settings.routes;
    const auto taken = [&](const std::string& name) {
        return std::any_of(routes.begin(), routes.end(), [&](const Route& r) { return r.name == name; });
    };
    std::string name = wanted;
    for (int i = 2; taken(name); ++i)
        name = wanted + " " + std::to_string(i);
    return name;
}

void RouteModel::addRoutes(const std::vector<Route>& routes, const QString& label) {
    Settings settings = m_session.scene().settings;
    settings.route = settings.routes.size();
    for (Route route : routes) {
        route.name = freeName(route.name);
        settings.routes.push_back(std::move(route));
    }
    push(std::move(settings), label);
}

void RouteModel::choose(std::size_t index) {
    Settings settings = m_session.scene().settings;
    if (index == settings.route || index >= settings.routes.size())
        return;
    settings.route = index;
    push(std::move(settings), tr("Look at another route"));
}

void RouteModel::add() {
    addRoutes({{tr("Route").toStdString(), {}}}, tr("Add a route"));
}

void RouteModel::copy() {
    if (const Route* route = current())
        addRoutes({*route}, tr("Copy the route"));
}

void RouteModel::remove() {
    Settings settings = m_session.scene().settings;
    if (settings.route >= settings.routes.size())
        return;
    settings.routes.erase(settings.routes.begin() + static_cast<std::ptrdiff_t>(settings.route));
    settings.route = settings.route > 0 ? settings.route - 1 : 0;
    push(std::move(settings), tr("Remove the route"));
}

void RouteModel::rename(const QString& name) {
    const Route* route = current();
    const std::string wanted = name.trimmed().toStdString();
    if (route == nullptr || wanted.empty() || wanted == route->name)
        return;
    const std::string free = freeName(wanted);
    change(tr("Rename the route"), [&free](Route& r) { r.name = free; });
}

void RouteModel::setLoop(bool on) {
    if (const Route* route = current(); route != nullptr && route->loop != on)
        change(on ? tr("Close the route") : tr("Open the route"), [on](Route& r) { r.loop = on; });
}

void RouteModel::addKey(const View& view) {
    Settings settings = m_session.scene().settings;
    if (settings.routes.empty())
        settings.routes.push_back({tr("Route").toStdString(), {}});
    settings.route = std::min(settings.route, settings.routes.size() - 1);
    auto& keys = settings.routes[settings.route].keys;
    keys.push_back(keyOf(keys.empty() ? 0.0 : keys.back().seconds + kSecondsApart, view));
    push(std::move(settings), tr("Key the camera"));
}

void RouteModel::insertKey(double seconds) {
    const Route* route = current();
    if (route == nullptr || route->keys.size() < 2)
        return;
    const auto near = [seconds](const RouteKey& k) { return std::abs(k.seconds - seconds) < kLeastApart; };
    if (seconds <= 0 || std::any_of(route->keys.begin(), route->keys.end(), near))
        return;
    const RouteKey made = keyOf(seconds, viewOnRoute(*route, View(), seconds));
    change(tr("Add a key"), [&made](Route& r) {
        r.keys.insert(
            std::find_if(r.keys.begin(), r.keys.end(), [&made](const RouteKey& k) { return k.seconds > made.seconds; }),
            made);
    });
}

void RouteModel::removeKey(std::size_t index) {
    const Route* route = current();
    if (route == nullptr || index >= route->keys.size())
        return;
    change(tr("Remove a key"), [index](Route& r) {
        r.keys.erase(r.keys.begin() + static_cast<std::ptrdiff_t>(index));
        if (index == 0 && !r.keys.empty()) // a route begins at 0
            for (const double first = r.keys.front().seconds; RouteKey & k : r.keys)
                k.seconds -= first;
    });
}

void RouteModel::moveKeyTo(std::size_t index, double seconds, const QString& mergeKey) {
    const Route* route = current();
    if (route == nullptr || index == 0 || index >= route->keys.size())
        return;
    const double least = route->keys[index - 1].seconds + kLeastApart;
    const double most = index + 1 < route->keys.size() ? route->keys[index + 1].seconds - kLeastApart : 21'600;
    if (most < least)
        return;
    const double at = std::clamp(seconds, least, most);
    change(
        tr("Change when a key is"), [index, at](Route& r) { r.keys[index].seconds = at; }, mergeKey);
}

void RouteModel::moveKeyBy(std::size_t index, const Vec3d& way, const QString& mergeKey) {
    const Route* route = current();
    if (route == nullptr || index >= route->keys.size())
        return;
    change(
        tr("Move a key"),
        [index, way](Route& r) {
            r.keys[index].eye += way;
            r.keys[index].target += way;
        },
        mergeKey);
}

void RouteModel::placeKey(std::size_t index, const View& view) {
    const Route* route = current();
    if (route == nullptr || index >= route->keys.size())
        return;
    change(tr("Move a key here"), [&](Route& r) { r.keys[index] = keyOf(r.keys[index].seconds, view); });
}

void RouteModel::startRecording(const View& view) {
    m_recording = true;
    m_kept.clear();
    m_clock.start();
    m_kept.push_back(keyOf(0, view));
    emit recordingChanged();
}

void RouteModel::recordFrame(const View& view) {
    if (!m_recording)
        return;
    const double now = static_cast<double>(m_clock.elapsed()) / 1000;
    if (now - m_kept.back().seconds >= kRecordEvery)
        m_kept.push_back(keyOf(now, view));
}

void RouteModel::stopRecording() {
    if (!m_recording)
        return;
    m_recording = false;
    std::vector<RouteKey> keys = fewerKeys(m_kept, kRecordWithin);
    m_kept.clear();
    const bool still = std::all_of(keys.begin(), keys.end(), [&](const RouteKey& k) {
        return (k.eye - keys.front().eye).norm() < kRecordWithin &&
               (k.target - keys.front().target).norm() < kRecordWithin;
    });
    if (still)
        m_session.say(tr("The camera never moved, so there is nothing to make a route of."));
    else
        addRoutes({{tr("Recorded").toStdString(), std::move(keys)}}, tr("Record a route"));
    emit recordingChanged();
}

void RouteModel::bringIn(const QString& file) {
    m_session.jobs().run(
        tr("Reading %1").arg(file.section('/', -1)),
        [this, file, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            auto routes = readCameras(toPath(file), job);
            if (!routes)
                return [this, error = routes.error()] { m_session.report(error); };
            return [this, asked, made = std::move(*routes)] {
                if (m_session.document.isOpen(asked))
                    addRoutes(made,
                              made.size() == 1 ? tr("Bring in a route") : tr("Bring in %1 routes").arg(made.size()));
            };
        });
}

void RouteModel::takeOut(const QString& file) {
    const Route* route = current();
    if (route == nullptr || route->length() <= 0)
        return;
    m_session.jobs().run(
        tr("Writing %1").arg(file.section('/', -1)),
        [this, file, own = *route, view = m_session.scene().statedView()](const JobContext&) -> JobQueue::Finish {
            auto done = writeCamera(toPath(file), own, view);
            if (!done)
                return [this, error = done.error()] { m_session.report(error); };
            return [this, file] { m_session.say(tr("Wrote %1").arg(file)); };
        });
}

} // namespace thicket::app
