<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Brick\Math\BigDecimal;
use Brick\Math\BigInteger;
use Brick\Math\Exception\MathException;
use Lighterman\Core\Record\ListText;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** How values of a column are written in a file, and what they are as the rest of the application writes them. */
final readonly class ValueForm
{
    private const DAY = '(?:(?:0[13578]|1[02])-(?:0[1-9]|[12]\d|3[01])|(?:0[469]|11)-(?:0[1-9]|[12]\d|30)|02-(?:0[1-9]|1\d|2[0-8]))';

    /** How dates may be written, by name: what surely is one, what its parts are, and what may be one; each without marks around it. */
    public const DATES = [
        'dd.MM.yyyy' => ['(?:(?:0[1-9]|1\d|2[0-8])\.(?:0[1-9]|1[0-2])|(?:29|30)\.(?:0[13-9]|1[0-2])|31\.(?:0[13578]|1[02]))\.(?!0000)\d{4}', '(?<d>\d\d)\.(?<m>\d\d)\.(?<y>\d{4})', '(?<d>\d\d?)\.(?<m>\d\d?)\.(?<y>\d{4})'],
        'dd/MM/yyyy' => ['(?:(?:0[1-9]|1\d|2[0-8])\/(?:0[1-9]|1[0-2])|(?:29|30)\/(?:0[13-9]|1[0-2])|31\/(?:0[13578]|1[02]))\/(?!0000)\d{4}', '(?<d>\d\d)\/(?<m>\d\d)\/(?<y>\d{4})', '(?<d>\d\d?)\/(?<m>\d\d?)\/(?<y>\d{4})'],
        'MM/dd/yyyy' => ['(?:(?:0[1-9]|1[0-2])\/(?:0[1-9]|1\d|2[0-8])|(?:0[13-9]|1[0-2])\/(?:29|30)|(?:0[13578]|1[02])\/31)\/(?!0000)\d{4}', '(?<m>\d\d)\/(?<d>\d\d)\/(?<y>\d{4})', '(?<m>\d\d?)\/(?<d>\d\d?)\/(?<y>\d{4})'],
        'yyyyMMdd' => ['(?!0000)\d{4}(?:(?:0[1-9]|1[0-2])(?:0[1-9]|1\d|2[0-8])|(?:0[13-9]|1[0-2])(?:29|30)|(?:0[13578]|1[02])31)', '(?<y>\d{4})(?<m>\d\d)(?<d>\d\d)', '(?<y>\d{4})(?<m>\d\d)(?<d>\d\d)'],
    ];

    private const CLOCK = '(?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d{1,6})?+)?+';

    private const ZONE = '(?:Z|[+-](?:0\d|1[0-4])(?::?+[0-5]\d)?+)';

    /**
     * @param  '.'|','  $decimal
     * @param  string|null  $date  how dates are written, where not as ISO 8601 has them
     */
    public function __construct(public Type $type, public string $decimal = '.', public ?string $date = null)
    {
    }

    /**
     * Values that surely fit and need no other change than that of the decimal mark, as part of a pattern. A value that it does
     * not fit may fit all the same.
     *
     * @param  string  $never  characters, escaped for a class of a pattern, that no field can hold as it stands
     */
    public function plain(string $never): string
    {
        $mark = preg_quote($this->decimal, '~');

        return match ($this->type->kind) {
            TypeKind::Text => "[^{$never}]++",
            TypeKind::Int16 => '-?+(?:0|[1-9]\d{0,3}+)', TypeKind::Int32 => '-?+(?:0|[1-9]\d{0,8}+)', TypeKind::Int64 => '-?+(?:0|[1-9]\d{0,17}+)',
            TypeKind::Decimal => $this->type->precision === null ? "-?+\d++(?:{$mark}\d++)?+" : '-?+\d{1,'.max(1, $this->type->precision - (int) $this->type->scale).'}+'.((int) $this->type->scale === 0 ? '' : "(?:{$mark}\d{1,".(int) $this->type->scale.'}+)?+'),
            TypeKind::Float32, TypeKind::Float64 => "-?+\d{1,15}+(?:{$mark}\d{1,15}+)?+",
            TypeKind::Boolean => '[tf]',
            TypeKind::Date => $this->date === null ? '(?!0000)\d{4}-'.self::DAY : self::DATES[$this->date][0],
            TypeKind::Time => self::CLOCK,
            TypeKind::Timestamp => '(?!0000)\d{4}-'.self::DAY.'[ T]'.self::CLOCK,
            TypeKind::TimestampTz => '(?!0000)\d{4}-'.self::DAY.'[ T]'.self::CLOCK.self::ZONE,
            // Others are looked at one by one.
            default => '(?!)',
        };
    }

    /**
     * A value as the rest of the application writes it.
     *
     * @return string|null|false null for an empty field where only a text can be empty; false if it does not fit
     */
    public function value(string $raw): string|false|null
    {
        if (str_contains($raw, "\0")) {
            return false;
        }
        $kind = $this->type->kind;
        if ($kind->isText()) {
            return in_array($kind, [TypeKind::Varchar, TypeKind::Char], true) && mb_strlen($raw) > ($this->type->length ?? PHP_INT_MAX) ? false : $raw;
        }
        $text = trim($raw);
        if ($text === '') {
            return null;
        }

        return match ($kind) {
            TypeKind::Boolean => ['t' => 't', 'true' => 't', '1' => 't', 'f' => 'f', 'false' => 'f', '0' => 'f'][strtolower($text)] ?? false,
            TypeKind::Int16 => self::whole($text, 15), TypeKind::Int32 => self::whole($text, 31), TypeKind::Int64 => self::whole($text, 63),
            TypeKind::Decimal => $this->decimal($text),
            TypeKind::Float32, TypeKind::Float64 => $this->float($text),
            TypeKind::Date => $this->date($text),
            TypeKind::Time => preg_match('~^'.self::CLOCK.'$~D', $text) ? $text : false,
            TypeKind::TimeTz => preg_match('~^'.self::CLOCK.self::ZONE.'$~D', $text) ? $text : false,
            TypeKind::Timestamp => $this->moment($text, ''),
            TypeKind::TimestampTz => $this->moment($text, self::ZONE),
            TypeKind::Uuid => preg_match('/^[0-9a-f]{8}(-?[0-9a-f]{4}){3}-?[0-9a-f]{12}$/Di', $text) ? strtolower($text) : false,
            TypeKind::Json, TypeKind::JsonBinary => json_validate($text) && ! str_contains($text, '\u0000') ? $text : false,
            TypeKind::Bytes => preg_match('/^\\\\x([0-9a-f]{2})*$/Di', $text) ? $text : false,
            TypeKind::List => $this->list($text),
            default => $text,
        };
    }

    /** What is wrong with a value that does not fit, without the value. */
    public function fault(string $column): string
    {
        return "{$column} is no {$this->type}".($this->date === null ? '' : " written {$this->date}");
    }

    private static function whole(string $text, int $bits): string|false
    {
        if (! preg_match('/^[+-]?\d{1,19}$/D', $text)) {
            return false;
        }
        $number = BigInteger::of($text);
        $beyond = BigInteger::of(2)->power($bits);

        return $number->isLessThan($beyond) && $number->isGreaterThanOrEqualTo($beyond->negated()) ? (string) $number : false;
    }

    /** A list of JSON, or an array as a source writes it. */
    private function list(string $text): string|false
    {
        $decoded = $text[0] === '[' ? json_decode($text, false, 2, JSON_BIGINT_AS_STRING) : null;
        $elements = is_array($decoded)
            ? array_map(static fn (mixed $e): ?string => is_bool($e) ? ($e ? 't' : 'f') : (is_float($e) ? json_encode($e, JSON_THROW_ON_ERROR) : ($e === null ? null : (string) $e)), $decoded)
            : ListText::elements($text);
        $form = new self($this->type->element ?? Type::of(TypeKind::Text));
        $fit = [];
        foreach ($elements ?? [] as $element) {
            $value = $element === null ? null : $form->value($element);
            if ($value === false) {
                return false;
            }
            $fit[] = $value;
        }

        return $elements === null ? false : ListText::of($fit);
    }

    private function decimal(string $text): string|false
    {
        $text = $this->decimal === ',' ? strtr($text, ',', '.') : $text;
        if (! preg_match('/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,4})?$/D', $text)) {
            return false;
        }
        try {
            $number = BigDecimal::of($text);
        } catch (MathException) {
            return false;
        }
        if ($this->type->precision !== null) {
            // Digits that would be rounded away are not dropped unsaid.
            $short = $number->stripTrailingZeros();
            if ($short->getScale() > (int) $this->type->scale || strlen(ltrim((string) $short->getUnscaledValue()->abs(), '0')) - $short->getScale() > $this->type->precision - (int) $this->type->scale) {
                return false;
            }
            $number = $number->getScale() > (int) $this->type->scale ? $number->toScale((int) $this->type->scale) : $number;
        }

        return (string) $number;
    }

    private function float(string $text): string|false
    {
        $text = $this->decimal === ',' ? strtr($text, ',', '.') : $text;
        if (preg_match('/^([+-]?)(inf|infinity|nan)$/Di', $text, $m)) {
            return strtolower($m[2]) === 'nan' ? 'NaN' : ($m[1] === '-' ? '-Infinity' : 'Infinity');
        }

        return preg_match('/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?$/D', $text) && is_finite((float) $text) ? $text : false;
    }

    private function date(string $text): string|false
    {
        $pattern = $this->date === null ? '/^(?<y>\d{4,6})-(?<m>\d\d)-(?<d>\d\d)(?<bc> BC)?$/D' : '/^'.self::DATES[$this->date][2].'$/D';
        if (! preg_match($pattern, $text, $m) || (int) $m['y'] === 0 || ! checkdate((int) $m['m'], (int) $m['d'], (int) $m['y'])) {
            return in_array(strtolower($text), ['infinity', '-infinity'], true) ? strtolower($text) : false;
        }

        return sprintf('%s-%02d-%02d%s', $m['y'], (int) $m['m'], (int) $m['d'], $m['bc'] ?? '');
    }

    private function moment(string $text, string $zone): string|false
    {
        if (! preg_match('~^([^ T]+)[ T]('.self::CLOCK.')('.$zone.')( BC)?$~D', $text, $m)) {
            return in_array(strtolower($text), ['infinity', '-infinity'], true) ? strtolower($text) : false;
        }
        $day = (new self(Type::of(TypeKind::Date)))->date($m[1]);

        return $day === false ? false : $text;
    }
}
