#include "document/areas.h"

#include "document/document.h"
#include "recipe/areas_json.h"
#include "widgets/words.h"

#include <QClipboard>
#include <QGuiApplication>

#include <algorithm>

namespace yolk::app {
namespace {

/// Masks are looked at whether the areas act or not.
Recipe withGroupsOn(Recipe recipe)
{
    recipe.groups = {};
    return recipe;
}

} // namespace

Areas::Areas(Document *document)
    : QObject(document), document_(document), histogramLane_(Lane::Policy::FinishRunning, this),
      pictureLane_(Lane::Policy::FinishRunning, this)
{
    lookTimer_.setSingleShot(true);
    connect(&lookTimer_, &QTimer::timeout, this, [this] {
        findHistogram();
        paintPictures();
    });
    connect(document, &Document::setChanged, this, [this] {
        histogramLane_.discard(); // of the set before
        pictureLane_.discard();
        chosen_ = -1;
        shape_ = 0;
        small_.clear();
        histogram_.reset();
        seen_ = all();
        Q_EMIT chosenChanged();
        Q_EMIT changed();
        lookTimer_.start(0);
    });
    connect(document, &Document::recipeChanged, this, &Areas::recipeChanged);
    connect(document, &Document::mergedChanged, this, &Areas::findHistogram);
    connect(document, &Document::areaChanged, this, [this] {
        small_.clear();
        paintPictures();
    });
}

const SharedList<Area> &Areas::all() const
{
    return document_->recipe().areas.areas;
}

const Area *Areas::chosen() const
{
    return chosen_ >= 0 && size_t(chosen_) < all().size() ? &all()[size_t(chosen_)] : nullptr;
}

void Areas::choose(int index)
{
    const int wanted = index >= 0 && index < int(all().size()) ? index : -1;
    if (wanted == chosen_)
        return;
    chosen_ = wanted;
    shape_ = 0;
    histogram_.reset();
    Q_EMIT chosenChanged();
    Q_EMIT histogramChanged();
    findHistogram();
    if (shown_ && look_ != AreaLook::Picture)
        Q_EMIT lookChanged();
}

void Areas::chooseShape(int index)
{
    if (!chosen() || index == shape_ || index < 0 || index >= int(chosen()->shapes.size()))
        return;
    shape_ = index;
    Q_EMIT chosenChanged();
}

void Areas::recipeChanged()
{
    if (all().sharesWith(seen_))
        return;
    seen_ = all();
    const int before = chosen_;
    chosen_ = std::min(chosen_, int(all().size()) - 1);
    if (const Area *area = chosen())
        shape_ = std::clamp(shape_, 0, std::max(0, int(area->shapes.size()) - 1));
    if (chosen_ != before)
        Q_EMIT chosenChanged();
    Q_EMIT changed();
    constexpr int kRestMilliseconds = 200;
    lookTimer_.start(kRestMilliseconds);
}

QString Areas::kindName(ShapeKind kind)
{
    for (const Choice<ShapeKind> &choice : kShapeKinds)
        if (choice.value == kind)
            return words(choice.name);
    return {};
}

QString Areas::nameOf(int index) const
{
    const Area &area = all()[size_t(index)];
    if (!area.name.empty())
        return QString::fromStdString(area.name);
    const auto isLike = [&](const Area &other) {
        return other.name.empty() && !other.shapes.empty() && !area.shapes.empty() &&
               other.shapes.front().kind == area.shapes.front().kind;
    };
    const auto before = std::count_if(all().begin(), all().begin() + index, isLike);
    const QString kind = area.shapes.empty() ? tr("Area") : kindName(area.shapes.front().kind);
    return QStringLiteral("%1 %2").arg(kind).arg(before + 1);
}

void Areas::setAll(std::vector<Area> areas, const QString &what, const QString &gesture)
{
    if (!document_->isOpen())
        return;
    Recipe next = document_->recipe();
    next.areas.areas = std::move(areas);
    document_->setRecipe(std::move(next), what, gesture);
}

void Areas::add(Area area, const QString &what, const QString &gesture)
{
    std::vector<Area> next = all().all();
    if (next.size() >= kMostAreas)
        return Q_EMIT failed(tr("A picture has at most %1 areas.").arg(kMostAreas));
    next.push_back(std::move(area));
    const int last = int(next.size()) - 1;
    setAll(std::move(next), what, gesture);
    choose(last);
}

void Areas::set(int index, Area area, const QString &what, const QString &gesture)
{
    std::vector<Area> next = all().all();
    if (index < 0 || size_t(index) >= next.size())
        return;
    next[size_t(index)] = std::move(area);
    setAll(std::move(next), what, gesture);
}

void Areas::change(const std::function<void(Area &)> &edit, const QString &what, const QString &gesture)
{
    if (const Area *area = chosen()) {
        Area next = *area;
        edit(next);
        set(chosen_, std::move(next), what, gesture);
    }
}

void Areas::changeShape(const std::function<void(AreaShape &)> &edit, const QString &what, const QString &gesture)
{
    change(
        [&](Area &area) {
            if (!area.shapes.empty())
                edit(area.shapes[size_t(shape_)]);
        },
        what, gesture);
}

void Areas::remove(int index)
{
    std::vector<Area> next = all().all();
    if (index < 0 || size_t(index) >= next.size())
        return;
    const QString name = nameOf(index);
    next.erase(next.begin() + index);
    setAll(std::move(next), tr("remove %1").arg(name));
}

void Areas::setGroup(int index, const QString &name)
{
    if (index < 0 || size_t(index) >= all().size())
        return;
    Area next = all()[size_t(index)];
    next.group = name.trimmed().toStdString();
    set(index, std::move(next), name.isEmpty() ? tr("out of a group") : tr("into group %1").arg(name));
}

void Areas::setGroupOn(int index, bool on)
{
    if (index < 0 || size_t(index) >= all().size() || all()[size_t(index)].group.empty())
        return;
    std::vector<Area> next = all().all();
    const std::string group = next[size_t(index)].group;
    for (Area &area : next)
        if (area.group == group)
            area.on = on;
    const QString name = QString::fromStdString(group);
    setAll(std::move(next), on ? tr("switch group %1 on").arg(name) : tr("switch group %1 off").arg(name));
}

AreaAmounts Areas::amountsBefore(int index) const
{
    for (int i = std::min(index, int(all().size())) - 1; i >= 0; --i)
        if (!all()[size_t(i)].amounts.empty())
            return all()[size_t(i)].amounts;
    return {};
}

void Areas::duplicate(int index)
{
    if (index < 0 || size_t(index) >= all().size())
        return;
    std::vector<Area> next = all().all();
    const Area copy = next[size_t(index)];
    next.insert(next.begin() + index + 1, copy);
    setAll(std::move(next), tr("duplicate %1").arg(nameOf(index)));
    choose(index + 1);
}

void Areas::move(int index, int by)
{
    std::vector<Area> next = all().all();
    const int to = index + by;
    if (index < 0 || to < 0 || size_t(index) >= next.size() || size_t(to) >= next.size())
        return;
    std::swap(next[size_t(index)], next[size_t(to)]);
    const QString what = tr("order of areas");
    setAll(std::move(next), what);
    choose(to);
}

void Areas::copy(int index) const
{
    if (index >= 0 && size_t(index) < all().size())
        QGuiApplication::clipboard()->setText(QString::fromStdString(areasText({all()[size_t(index)]})));
}

void Areas::paste()
{
    if (!document_->isOpen())
        return;
    try {
        const std::vector<Area> pasted = parseAreas(QGuiApplication::clipboard()->text().toStdString());
        std::vector<Area> next = all().all();
        next.insert(next.end(), pasted.begin(), pasted.end());
        if (next.size() > kMostAreas)
            return Q_EMIT failed(tr("A picture has at most %1 areas.").arg(kMostAreas));
        const int last = int(next.size()) - 1;
        setAll(std::move(next), tr("paste an area"));
        choose(last);
    } catch (const ArgumentError &) {
        Q_EMIT failed(tr("There is no area to paste: copy one first."));
    }
}

AreaShape Areas::shapeOf(ShapeKind kind) const
{
    AreaShape out;
    out.kind = kind;
    out.drawnOn = document_->bracket().frames[document_->bracket().reference].frame->id;
    const QRectF seen(document_->pictureArea());
    const auto at = [&](double x, double y) {
        return document_->onFrame(out.drawnOn, {seen.left() + x * seen.width(), seen.top() + y * seen.height()});
    };
    if (kind == ShapeKind::Gradient)
        out.places = {at(0.5, 0.2), at(0.5, 0.55)};
    if (kind == ShapeKind::Oval)
        out.places = {at(0.5, 0.5), at(0.72, 0.5), at(0.5, 0.72)};
    return out;
}

void Areas::setShown(bool on)
{
    if (on == shown_)
        return;
    shown_ = on;
    Q_EMIT lookChanged();
    Q_EMIT histogramChanged();
    findHistogram();
    paintPictures();
}

void Areas::setLook(AreaLook look)
{
    if (look == look_)
        return;
    look_ = look;
    Q_EMIT lookChanged();
}

void Areas::holdLook(std::optional<AreaLook> look)
{
    if (look == held_)
        return;
    held_ = look;
    Q_EMIT lookChanged();
}

std::optional<AreaLook> Areas::shownLook() const
{
    const AreaLook look = held_.value_or(look_);
    return shown_ && chosen() && look != AreaLook::Picture ? std::optional(look) : std::nullopt;
}

void Areas::findHistogram()
{
    if (!shown_ || !chosen() || !document_->isOpen())
        return;
    auto work = [sources = document_->sources(), measured = document_->measured(),
                 recipe = withGroupsOn(document_->recipe()), area = size_t(chosen_)](ExecContext &ctx) {
        return areaHistogram(RenderPlan(sources, measured, recipe), area, ctx);
    };
    histogramLane_.start<SceneHistogram>({}, work, [this](Outcome<SceneHistogram> outcome) {
        if (!outcome.result)
            return; // the view says what is wrong
        histogram_ = std::move(outcome.result);
        Q_EMIT histogramChanged();
    });
}

QImage Areas::picture(int index) const
{
    return index < small_.size() ? small_[index].picture : QImage();
}

void Areas::paintPictures()
{
    if (!shown_ || !document_->isOpen())
        return;
    constexpr double kSide = 30.0; // pixels, twice as many where the screen is fine
    const auto sameShapes = [](const Area &a, const Area &b) { return a.shapes == b.shapes; };
    std::vector<size_t> wanted;
    for (size_t i = 0; i < all().size(); ++i)
        if (int(i) >= small_.size() || small_[qsizetype(i)].picture.isNull() ||
            !sameShapes(small_[qsizetype(i)].area, all()[i]))
            wanted.push_back(i);
    const bool fewer = small_.size() > qsizetype(all().size());
    small_.resize(qsizetype(all().size()));
    if (wanted.empty()) {
        if (fewer)
            Q_EMIT picturesChanged();
        return;
    }
    const QRect plane = document_->pictureArea();
    const double scale = 2.0 * kSide / std::max(plane.width(), plane.height());
    const QSize size(std::max(1, int(plane.width() * scale)), std::max(1, int(plane.height() * scale)));
    auto work = [sources = document_->sources(), measured = document_->measured(),
                 recipe = withGroupsOn(document_->recipe()), wanted, plane, size](ExecContext &ctx) {
        const RenderPlan plan(sources, measured, recipe);
        const RenderRequest request{
            previewReduction(sources),
            {double(plane.left()), double(plane.top()), double(plane.right() + 1), double(plane.bottom() + 1)},
            size.width(),
            size.height()};
        std::vector<std::pair<size_t, Small>> out;
        for (const size_t i : wanted) {
            const Image<float> mask = areaMask(plan, i, request, ctx);
            QImage picture(mask.width(), mask.height(), QImage::Format_RGB32);
            for (int y = 0; y < mask.height(); ++y)
                for (int x = 0; x < mask.width(); ++x) {
                    const int code = int(255.0f * std::clamp(mask.row(0, y)[x], 0.0f, 1.0f) + 0.5f);
                    picture.setPixel(x, y, qRgb(code, code, code));
                }
            out.push_back({i, {recipe.areas.areas[i], picture}});
        }
        return out;
    };
    using Out = std::vector<std::pair<size_t, Small>>;
    pictureLane_.start<Out>({}, work, [this](Outcome<Out> outcome) {
        if (!outcome.result)
            return;
        for (auto &[index, small] : *outcome.result)
            if (qsizetype(index) < small_.size())
                small_[qsizetype(index)] = std::move(small);
        Q_EMIT picturesChanged();
    });
}

} // namespace yolk::app
