//! Grouping by calendar.

use super::by::{GroupBy, GroupIdentity};
use crate::item::{AnyField, Value};
use jiff::ToSpan;
use jiff::civil::Date;
use jiff::tz::TimeZone;

/// A stretch of the calendar that rows are grouped by.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Period {
    /// A day: `2026-03-05`.
    Day,
    /// A week by ISO 8601, from Monday on: `2026-W10`.
    Week,
    /// A month: `2026-03`.
    Month,
    /// A quarter of a year: `2026-Q1`.
    Quarter,
    /// A year: `2026`.
    Year,
}

impl Period {
    /// The first day of the period that a day is in.
    ///
    /// ```
    /// use jiff::civil::date;
    /// use usual_tide::query::Period;
    ///
    /// assert_eq!(Period::Week.start(date(2026, 1, 1)), date(2025, 12, 29));
    /// assert_eq!(Period::Quarter.start(date(2026, 5, 17)), date(2026, 4, 1));
    /// ```
    pub fn start(self, day: Date) -> Date {
        match self {
            Self::Day => day,
            Self::Week => {
                let back = day.weekday().to_monday_zero_offset();
                // The first week that there is begins before the first day.
                day.checked_sub(i64::from(back).days()).unwrap_or(Date::MIN)
            }
            Self::Month => day.first_of_month(),
            Self::Quarter => {
                let first = (day.month() - 1) / 3 * 3 + 1;
                Date::new(day.year(), first, 1).unwrap_or(day)
            }
            Self::Year => day.first_of_year(),
        }
    }

    /// The period that begins on a day, in the form of ISO 8601; quarters as `2026-Q1`.
    pub fn name(self, start: Date) -> String {
        match self {
            Self::Day => start.to_string(),
            Self::Week => {
                let week = start.iso_week_date();
                format!("{:04}-W{:02}", week.year(), week.week())
            }
            Self::Month => format!("{:04}-{:02}", start.year(), start.month()),
            Self::Quarter => format!("{:04}-Q{}", start.year(), (start.month() - 1) / 3 + 1),
            Self::Year => format!("{:04}", start.year()),
        }
    }
}

pub(super) struct ByPeriod<T> {
    pub(super) field: AnyField<T>,
    pub(super) period: Period,
    pub(super) zone: TimeZone,
}

impl<T> GroupBy<T> for ByPeriod<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        match self.field.value(item) {
            Value::Date(day) => Value::Date(self.period.start(day)),
            Value::Timestamp(moment) => {
                let day = self.zone.to_datetime(moment).date();
                Value::Date(self.period.start(day))
            }
            // What is no day belongs to none.
            _ => Value::Missing,
        }
    }

    fn identity(&self) -> Option<GroupIdentity> {
        let period = match self.period {
            Period::Day => "day",
            Period::Week => "week",
            Period::Month => "month",
            Period::Quarter => "quarter",
            Period::Year => "year",
        };
        match self.zone == TimeZone::UTC {
            true => GroupIdentity::of(&self.field, period, true),
            false => GroupIdentity::of(&self.field, format!("{period} in {:?}", self.zone), false),
        }
    }

    fn heading(&self, value: &Value<'_>) -> String {
        match value {
            Value::Date(start) => self.period.name(*start),
            _ => String::new(),
        }
    }
}
