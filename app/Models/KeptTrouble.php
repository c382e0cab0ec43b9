<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Contracts\Database\Eloquent\Castable;
use Illuminate\Contracts\Database\Eloquent\CastsAttributes;
use Illuminate\Database\Eloquent\Model;
use JsonSerializable;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\Remedy;
use Lighterman\Core\Trouble\SystemTrouble;

/** Trouble of a feed, a run or a route's stream, as it is kept in the database. */
final readonly class KeptTrouble implements Castable, JsonSerializable
{
    /** @param  Reason|null  $reason  null where it is no system's */
    private function __construct(public string $message, public Remedy $remedy, public bool $passing, public ?Reason $reason)
    {
    }

    public static function of(Explained $trouble): self
    {
        return new self($trouble->getMessage(), $trouble->remedy(), $trouble->mayPass(), $trouble instanceof SystemTrouble ? $trouble->reason : null);
    }

    /** Whether somebody has to decide something, so that trying again does not help. */
    public function asks(): bool
    {
        return in_array($this->remedy->act, [Act::AgreeToShape, Act::DecideEmptied, Act::LoadAgain], true);
    }

    /** @return array{message: string, remedy: string, act: string|null, of: string|null, passing: bool, reason: string|null} */
    public function jsonSerialize(): array
    {
        return ['message' => $this->message, 'remedy' => $this->remedy->said, 'act' => $this->remedy->act?->value, 'of' => $this->remedy->of, 'passing' => $this->passing, 'reason' => $this->reason?->value];
    }

    /** @param  array<string, mixed>  $data  as jsonSerialize() gives it */
    private static function fromArray(array $data): self
    {
        return new self($data['message'], new Remedy($data['remedy'], Act::tryFrom($data['act'] ?? ''), $data['of'] ?? null), $data['passing'], Reason::tryFrom($data['reason'] ?? ''));
    }

    /**
     * @param  array<int, string>  $arguments
     * @return CastsAttributes<self, self|null>
     */
    public static function castUsing(array $arguments): CastsAttributes
    {
        return new class(self::fromArray(...)) implements CastsAttributes
        {
            /** @param  \Closure(array<string, mixed>): KeptTrouble  $read */
            public function __construct(private readonly \Closure $read)
            {
            }

            public function get(Model $model, string $key, mixed $value, array $attributes): ?KeptTrouble
            {
                return $value === null ? null : ($this->read)(json_decode($value, true, 8, JSON_THROW_ON_ERROR));
            }

            public function set(Model $model, string $key, mixed $value, array $attributes): ?string
            {
                return $value === null ? null : json_encode($value, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE);
            }
        };
    }
}
