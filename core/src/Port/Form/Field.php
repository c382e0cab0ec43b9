<?php

declare(strict_types=1);

namespace Lighterman\Core\Port\Form;

/** One setting of a system, from which pages and commands make what they ask for. */
final readonly class Field
{
    /**
     * @param  string  $name  in lower case, as it is stored and as the command line's option is called
     * @param  string  $default  what is taken where nothing is typed
     * @param  string  $example  shown in an empty field
     * @param  bool  $guards  whether it says to whom the secret is sent, or how well it is guarded on the way
     */
    public function __construct(
        public string $name,
        public string $label,
        public FieldKind $kind = FieldKind::Text,
        public FieldLimits $limits = new FieldLimits,
        public string $default = '',
        public string $hint = '',
        public string $example = '',
        public bool $guards = false,
    ) {
    }

    /** Why a value cannot be taken; null where it can. The value itself is not told. */
    public function fault(string $value): ?string
    {
        $limits = $this->limits;

        return match (true) {
            $value === '' => $limits->optional ? null : "{$this->label} is missing.",
            $this->kind === FieldKind::Number && (! ctype_digit($value) || strlen($value) > 18 || (int) $value < $limits->least || (int) $value > $limits->most) => "{$this->label} is a number between {$limits->least} and {$limits->most}.",
            $this->kind === FieldKind::Number => null,
            mb_strlen($value) > $limits->most => "{$this->label} is longer than {$limits->most} characters.",
            $this->kind === FieldKind::Choice && ! isset($limits->choices[$value]) => "{$this->label} is one of ".implode(', ', array_keys($limits->choices)).'.',
            $limits->pattern !== '' && ! preg_match($limits->pattern, $value) => $limits->says,
            default => null,
        };
    }
}
