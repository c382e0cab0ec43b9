<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Worker;

/** Hides a value. */
final readonly class Mask implements Step
{
    public const WAYS = ['fixed', 'keep_last', 'keep_shape', 'keyed_hash', 'null', 'month', 'year'];

    /**
     * @param  string  $way  one of WAYS
     * @param  string  $text  what stands in its place, for `fixed`
     * @param  int  $keep  characters that stay, for `keep_last`
     * @param  string  $key  name of the secret, for `keyed_hash`
     *
     * @throws InvalidStep
     */
    public function __construct(public string $way, public string $text = '', public int $keep = 4, public string $key = 'default')
    {
        if (! in_array($way, self::WAYS, true)) {
            throw InvalidStep::because("There is no mask \"{$way}\"; there are ".implode(', ', self::WAYS).'.');
        }
        if ($keep < 0 || $keep > 100) {
            throw InvalidStep::because("{$keep} characters cannot be kept; between 0 and 100 can.");
        }
        if (! preg_match('/^[a-z][a-z0-9_-]{0,39}$/', $key)) {
            throw InvalidStep::because("\"{$key}\" cannot name a key; use small letters, digits and _.");
        }
    }

    public static function name(): string
    {
        return 'mask';
    }

    public static function word(): string
    {
        return 'Mask';
    }

    public static function reads(array $data): bool
    {
        return isset($data['mask']);
    }

    public function makes(): bool
    {
        return false;
    }

    public static function fromArray(array $data): self
    {
        return new self((string) $data['mask'], (string) ($data['text'] ?? ''), (int) ($data['keep'] ?? 4), (string) ($data['key'] ?? 'default'));
    }

    public static function typed(array $typed): array
    {
        $t = new Typed($typed);

        return ['mask' => $t->text('mask'), 'text' => $t->exactly('text'), 'keep' => (int) $t->text('keep'), 'key' => $t->text('key') ?: 'default'];
    }

    public static function begins(): array
    {
        return ['mask' => 'keep_last'];
    }

    public static function schema(): array
    {
        return [
            'mask' => ['enum' => self::WAYS],
            'text' => ['type' => 'string'],
            'keep' => ['type' => 'integer', 'minimum' => 0, 'maximum' => 100],
            'key' => ['type' => 'string', 'description' => 'Name of the key of a keyed hash; the key itself is kept by Lighterman'],
        ];
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        $type ??= Type::of(TypeKind::Text);
        if ($this->way === 'null') {
            $to->statement("{$variable} = null;");

            return $type;
        }
        $textual = $type->kind->isText();
        if (in_array($this->way, ['month', 'year'], true)) {
            if ($type->kind !== TypeKind::Date && ! $type->kind->isMoment()) {
                throw InvalidStep::because("Only a date can be cut to its {$this->way}, and this is {$type}. Convert it to a date first.");
            }
            $to->statement("{$variable} = Moment::{$this->way}({$variable});");

            return Type::of(TypeKind::Date);
        }
        $to->work($variable, $this->worker($to));
        if ($this->way === 'keyed_hash') {
            $to->plain();
        }

        return match (true) {
            $this->way === 'keyed_hash' => Type::of(TypeKind::Text),
            $textual && $this->way !== 'fixed' => $type->kind === TypeKind::Enumeration ? Type::of(TypeKind::Text) : $type,
            default => Type::of(TypeKind::Text),
        };
    }

    private function worker(RowCode $to): Worker
    {
        return match ($this->way) {
            'fixed' => new Mask\Fixed($this->text),
            'keep_last' => new Mask\KeepLast($this->keep),
            'keep_shape' => new Mask\KeepShape,
            default => new Mask\KeyedHash($to->secret($this->key)),
        };
    }

    public function masks(): bool
    {
        return true;
    }

    public function keepsApart(): bool
    {
        return $this->way === 'keyed_hash';
    }

    public function sentence(): string
    {
        return match ($this->way) {
            'fixed' => "always \"{$this->text}\"",
            'keep_last' => $this->keep === 0 ? 'hide all' : "keep last {$this->keep}",
            'keep_shape' => 'keep shape',
            'keyed_hash' => 'keyed hash'.($this->key === 'default' ? '' : ", key {$this->key}"),
            'null' => 'null',
            default => "cut to {$this->way}",
        };
    }

    public function toArray(): array
    {
        return ['mask' => $this->way] + match ($this->way) {
            'fixed' => ['text' => $this->text],
            'keep_last' => ['keep' => $this->keep],
            'keyed_hash' => $this->key === 'default' ? [] : ['key' => $this->key],
            default => [],
        };
    }
}
