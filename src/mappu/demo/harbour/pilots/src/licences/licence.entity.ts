import { IsString, Length } from 'class-validator';
import { Column, Entity, PrimaryGeneratedColumn } from 'typeorm';

@Entity()
export class Licence {
  @PrimaryGeneratedColumn('uuid')
  @IsString()
  @Length(36, 36)
  id: string;

  @Column({ length: 12 })
  @IsString()
  @Length(6, 12)
  number: string;

  @Column()
  @IsString()
  @Length(2, 60)
  holder: string;
}
